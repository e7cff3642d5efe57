"""Prompts in many wordings: the keys or labels that they ask for, and prompts that ask for neither."""

# (text, keys, labels); two thirds were written after the reader and looked at once.
FORMS = [
    (
        "Read the note and answer in JSON with the keys vessel (the ship's name), sailing (time of departure, or null), reason (one short phrase).\n<note>{{note}}</note>",
        ["vessel", "sailing", "reason"],
        None,
    ),
    (
        'Return {"city": string, "people": number, "mood": "glad"|"sad"} and nothing else.\n\n{{x}}',
        ["city", "people", "mood"],
        None,
    ),
    (
        "Ordne die Nachricht genau einer Kategorie zu (Reklamation, Frage, Lob). Antworte nur mit dem Wort.\n\n{{text}}",
        None,
        ["Reklamation", "Frage", "Lob"],
    ),
    (
        "Give me a JSON object containing `title`, `year` (integer) and `genres` (array of strings) for the film described here: {{plot}}",
        ["title", "year", "genres"],
        None,
    ),
    (
        "You will get a support ticket. Decide which team should handle it - billing, hardware, software or HR - and reply with just the team name.\n{{ticket}}",
        None,
        ["billing", "hardware", "software", "HR"],
    ),
    (
        'Output format:\n{\n  "sentiment": "positive" | "negative" | "neutral",\n  "confidence": 0.0-1.0\n}\n\nReview: {{review}}',
        ["sentiment", "confidence"],
        None,
    ),
    (
        "Extrais du courriel : le nom du client, le numéro de commande et la date souhaitée. Réponds en JSON (clés : client, commande, date).\n\n{{courriel}}",
        ["client", "commande", "date"],
        None,
    ),
    (
        "Respond with valid JSON only. Fields:\n- name: the applicant's full name\n- age: integer, null if not stated\n- skills: list of strings\n\nCV:\n{{cv}}",
        ["name", "age", "skills"],
        None,
    ),
    (
        "Is the following review positive, negative or mixed? One word.\n\n{{review}}",
        None,
        ["positive", "negative", "mixed"],
    ),
    (
        "Categories:\n* invoice\n* contract\n* letter\n* other\n\nWhich category does the scan belong to? Reply with the category and nothing more.\n{{scan}}",
        None,
        ["invoice", "contract", "letter", "other"],
    ),
    (
        "Clasifica el mensaje como urgente, normal o spam. Responde únicamente con la etiqueta.\n\n{{mensaje}}",
        None,
        ["urgente", "normal", "spam"],
    ),
    (
        'Produce JSON like this:\n{"dish": "", "calories": 0, "vegan": false}\nfor the recipe below.\n{{recipe}}',
        ["dish", "calories", "vegan"],
        None,
    ),
    (
        "Antworte als JSON-Objekt mit den Feldern »name« (Text), »betrag« (Zahl) und »waehrung« (ISO-Code).\n\nRechnung: {{rechnung}}",
        ["name", "betrag", "waehrung"],
        None,
    ),
    (
        "Tag the paragraph with exactly one topic out of {politics, sports, culture, weather}. No explanation.\n\n{{paragraph}}",
        None,
        ["politics", "sports", "culture", "weather"],
    ),
    (
        "Reply YES if the clause allows early termination, NO if it does not, and UNCLEAR if one cannot tell.\n\nClause: {{clause}}",
        None,
        ["YES", "NO", "UNCLEAR"],
    ),
    (
        "JSON schema: vendor (string), total (number), due_date (YYYY-MM-DD or null). Don't add other fields.\n\n{{invoice}}",
        ["vendor", "total", "due_date"],
        None,
    ),
    (
        "Your answer must be a JSON with these properties: 'intent', 'language', 'needs_human'.\nUser: {{utterance}}",
        ["intent", "language", "needs_human"],
        None,
    ),
    (
        "Assign a priority from P1 to P4 - use P1, P2, P3 or P4 only - to the incident.\n{{incident}}",
        None,
        ["P1", "P2", "P3", "P4"],
    ),
    (
        'Analysiere den Vertrag und gib zurück:\n{"parteien": [...], "laufzeit": "...", "kuendigung": "..."}\n\n{{vertrag}}',
        ["parteien", "laufzeit", "kuendigung"],
        None,
    ),
    (
        "Label the tweet: supportive / critical / neutral\n\nTweet: {{tweet}}\nLabel:",
        None,
        ["supportive", "critical", "neutral"],
    ),
    (
        'Please fill in this JSON template from the call transcript: {"caller":"<name>","issue":"<one line>","resolved":<true|false>}\n{{transcript}}',
        ["caller", "issue", "resolved"],
        None,
    ),
    (
        "Dis si le commentaire est « favorable », « défavorable » ou « neutre » ; un seul mot, rien d'autre.\n{{commentaire}}",
        None,
        ["favorable", "défavorable", "neutre"],
    ),
    (
        "Possible answers: Approve, Reject, Escalate. Pick the right one for this expense claim.\n{{claim}}",
        None,
        ["Approve", "Reject", "Escalate"],
    ),
    (
        "Write a JSON object whose keys are subject, body and tone. tone is one of formal, friendly, firm.\n{{request}}",
        ["subject", "body", "tone"],
        None,
    ),
    (
        "Stufe die Dringlichkeit ein: hoch, mittel oder niedrig. Gib nur das eine Wort aus.\n{{meldung}}",
        None,
        ["hoch", "mittel", "niedrig"],
    ),
    (
        'Extract entities. Return a JSON array of objects, each with "text", "type" and "start".\n{{passage}}',
        ["text", "type", "start"],
        None,
    ),
    (
        "Devuelve un JSON con los campos nombre, dirección y teléfono (null si falta).\n\n{{ficha}}",
        ["nombre", "dirección", "teléfono"],
        None,
    ),
    (
        "Choose the emotion that fits best (joy, anger, fear, sadness, surprise) and print it in lower case.\n{{line}}",
        None,
        ["joy", "anger", "fear", "sadness", "surprise"],
    ),
    (
        'Your output has the following shape:\n```json\n{\n  "score": <0-10>,\n  "why": "<max 20 words>"\n}\n```\nEssay: {{essay}}',
        ["score", "why"],
        None,
    ),
    (
        "Does the passage answer the question? yes/no/partly\nQ: {{q}}\nPassage: {{p}}",
        None,
        ["yes", "no", "partly"],
    ),
    (
        "From the phone note below pull out who called, their number and what they want, as JSON: {caller, number, wish}. Use null for gaps.\n\n{{note}}",
        ["caller", "number", "wish"],
        None,
    ),
    (
        "Grade the essay. The only grades are A, B, C, D and F. Reply with the grade.\n{{essay}}",
        None,
        ["A", "B", "C", "D", "F"],
    ),
    (
        "Gib für jede Mail genau eines dieser Etiketten aus: Angebot, Mahnung, Werbung.\n{{mail}}",
        None,
        ["Angebot", "Mahnung", "Werbung"],
    ),
    (
        'I need structured data. Reply with JSON that has "make", "model" and "mileage_km" (number).\nAd: {{ad}}',
        ["make", "model", "mileage_km"],
        None,
    ),
    ("Does this sentence contain a date? Answer true or false.\n{{s}}", None, ["true", "false"]),
    (
        "Renvoie un objet JSON avec les champs suivants :\n- ville\n- pays\n- habitants (nombre)\nTexte : {{texte}}",
        ["ville", "pays", "habitants"],
        None,
    ),
    (
        "Route the request to one queue: returns | delivery | payment | other. Print the queue name.\n{{request}}",
        None,
        ["returns", "delivery", "payment", "other"],
    ),
    (
        'The reply must look exactly like this:\n{"summary": "<one sentence>", "risk": <1-5>}\nReport: {{report}}',
        ["summary", "risk"],
        None,
    ),
    ("¿El comentario es ofensivo? Contesta sí o no.\n{{c}}", None, ["sí", "no"]),
    (
        "Mark the claim as SUPPORTED, REFUTED or NOT ENOUGH INFO given the evidence.\nClaim: {{claim}}\nEvidence: {{ev}}",
        None,
        ["SUPPORTED", "REFUTED", "NOT ENOUGH INFO"],
    ),
    (
        "Erstelle aus dem Protokoll ein JSON-Objekt: aufgabe (Text), wer (Text), bis (Datum oder null).\n{{protokoll}}",
        ["aufgabe", "wer", "bis"],
        None,
    ),
    (
        "Select the best fitting tone - formal, neutral or playful. One word, lower case.\n{{copy}}",
        None,
        ["formal", "neutral", "playful"],
    ),
    (
        "Turn the classified ad into JSON. It should have exactly four members: item, price, city, phone.\n{{ad}}",
        ["item", "price", "city", "phone"],
        None,
    ),
    (
        "Tell me whether the invoice is paid, overdue or disputed. Answer with that one word.\n{{invoice}}",
        None,
        ["paid", "overdue", "disputed"],
    ),
    (
        "Bewerte die Stimmung des Kommentars mit genau einem Wort: positiv, neutral oder negativ.\n\n{{kommentar}}",
        None,
        ["positiv", "neutral", "negativ"],
    ),
    (
        'Return only this JSON, filled in:\n{\n  "first_name": "",\n  "last_name": "",\n  "email": ""\n}\nBusiness card: {{card}}',
        ["first_name", "last_name", "email"],
        None,
    ),
    (
        "Quelle est l'intention du client : annuler, modifier ou réclamer ? Réponds par un seul mot.\n{{message}}",
        None,
        ["annuler", "modifier", "réclamer"],
    ),
    (
        "You are a spam filter. For each message print SPAM or HAM.\n{{message}}",
        None,
        ["SPAM", "HAM"],
    ),
    (
        "Extract three things and give them back as a JSON object - `product`, `defect`, `purchase_date`.\n{{complaint}}",
        ["product", "defect", "purchase_date"],
        None,
    ),
    (
        "Choose one label for the headline.\nLabels:\n1. politics\n2. business\n3. sport\n{{headline}}",
        None,
        ["politics", "business", "sport"],
    ),
    (
        'Lee el anuncio y responde con un objeto JSON de tres campos: "precio", "metros" y "barrio".\n{{anuncio}}',
        ["precio", "metros", "barrio"],
        None,
    ),
    (
        "Rate how urgent the fault report is. Permitted values: low / medium / high / critical.\n{{report}}",
        None,
        ["low", "medium", "high", "critical"],
    ),
    (
        'Please answer in the JSON format {"ok": true or false, "comment": "short"}.\nMinutes: {{minutes}}',
        ["ok", "comment"],
        None,
    ),
    (
        "Ist das eine Frage, eine Bitte oder eine Beschwerde? Antworte mit Frage, Bitte oder Beschwerde.\n{{text}}",
        None,
        ["Frage", "Bitte", "Beschwerde"],
    ),
]
NEITHER = [
    "Write a friendly reply to the guest (by e-mail, letter or fax) and sign it only with the hotel's name.\n{{mail}}",
    "Summarise the meeting in one word per topic - budget, staff or dates - and then give details.\n{{notes}}",
    "You help travellers. If they ask about prices, timetables or luggage, answer only from the text below.\n{{text}}",
    "Translate into French or Spanish, whichever the customer wrote in. Output only the translation.\n{{t}}",
    "Schreibe eine Antwort an den Kunden. Sei freundlich, klar und knapp. Nutze nur die Angaben unten.\n{{x}}",
    'Here is our price list: {"single": 80, "double": 120}. Tell the guest what {{nights}} nights cost, in one short sentence only.',
    "Was the customer angry or sad? Explain in two sentences, using only the transcript.\n{{t}}",
    "Rewrite the paragraph in plain English. Keep names, dates and numbers. Nothing else.\n{{p}}",
    "Explique la règle (fiscale, sociale ou douanière) en trois phrases, uniquement avec le texte.\n{{r}}",
    "List the risks, opportunities and costs of the plan as bullet points. Only facts from the plan.\n{{plan}}",
    "Answer YES or explain in a sentence why the claim cannot be paid.\n{{claim}}",
    "Explain to the customer whether the part fits, and say what to do next in a calm tone.\n{{question}}",
    "Continue the story about {{hero}}. Choose a place - a harbour, a forest or a station - and stay there.",
    "Reply in German or English, whatever the customer used. Three sentences at most.\n{{mail}}",
    "Compare the offers (price, service, distance) and recommend one in a short paragraph.\n{{offers}}",
    "Correct the JSON below so that it parses, and return it unchanged otherwise.\n{{json}}",
    "Nenne drei Gründe, warum {{produkt}} leise, leicht oder langlebig ist.",
    "Use metric units. Write dates as day, month and year. Summarise: {{text}}",
    "Décris le tableau en quatre phrases ; reste neutre, précis et simple.\n{{tableau}}",
]
