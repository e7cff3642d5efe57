"""The half that no code is written beside."""

FLAWED = [
    (
        "en",
        """Compose a tweet-length announcement for {{event}}.
Limit yourself to 20 words.
Include date, place, ticket price, the names of all performers and a quote, in 60 words or more.""",
        [("limits", "60 words or more")],
    ),
    (
        "en",
        """Label each message as one of: urgent | normal | spam.
Output the label only.

Message: You won a cruise!!!
Label: spam
Message: The roof is leaking right now
Label: high priority

Message: {{message}}
Label:""",
        [("labels", "high priority")],
    ),
    (
        "en",
        """Return the answer strictly as JSON: {"verdict": "...", "reason": "..."}.
Write your reasoning as two full paragraphs before it.

Claim: <<<{{claim}}>>>""",
        [("json-prose", "two full paragraphs")],
    ),
    (
        "en",
        """List four benefits of {{product}}.
Each benefit takes at least 25 words.
Stay below 70 words altogether.""",
        [("limits", "below 70 words")],
    ),
    (
        "en",
        """Answer the guest politely and sign as the front desk.
XXX ask legal whether we may offer refunds
Guest: \"\"\"{{guest}}\"\"\"""",
        [("leftover", "XXX ask legal")],
    ),
    (
        "en",
        """Classify the sentence as fact or opinion.
Use only these two words.
When in doubt, write "both".
Sentence: <s>{{sentence}}</s>""",
        [("labels", "both")],
    ),
    (
        "en",
        """Produce a Markdown table with the columns Task, Owner, Due.

Input: Ann will call the printer on Friday.
Output: Ann calls the printer, due Friday.

Input: {{notes}}
Output:""",
        [("example-form", "Ann calls the printer")],
    ),
    (
        "en",
        """Rephrase the text enclosed in triple quotes for a legal audience.

\"\"\"
{{text}}

Keep the meaning and the order of the paragraphs.""",
        [("unclosed", '"""')],
    ),
    (
        "en",
        """Write one paragraph about {{place}}.
Do not use superlatives.
End with a question.
Please avoid superlatives of any kind: do not use superlatives.""",
        [("duplicate", "do not use superlatives.")],
    ),
    (
        "en",
        """Sum up the call in a single sentence.
Give the reader the background, the decision and the next steps in three to five sentences.
Call: ###{{call}}###""",
        [("limits", "three to five sentences")],
    ),
    (
        "de",
        """Verfasse einen Aushang zum Thema {{thema}}.
Er darf maximal 200 Zeichen lang sein.
Der Aushang soll wenigstens 60 Wörter umfassen.""",
        [("limits", "60 Wörter")],
    ),
    (
        "de",
        """Bewerte den Kommentar mit einem dieser Labels: freundlich, neutral, unfreundlich.
Antworte nur mit dem Label.
Bei Ironie antworte mit „ironisch“.

Kommentar: {{kommentar}}""",
        [("labels", "ironisch")],
    ),
    (
        "de",
        """Erstelle aus den Notizen eine Einladung.
Begrüße die Gäste mit Namen.
[Name des Vereins einfügen]
Notizen: {{notizen}}""",
        [("leftover", "einfügen")],
    ),
    (
        "de",
        """Antworte ausschließlich mit einem JSON-Objekt (Felder: titel, kurztext).
Der Text soll als fließender Brief mit Anrede und Grußformel geschrieben sein.

Vorgang: \"\"\"{{vorgang}}\"\"\"""",
        [("json-prose", "fließender Brief")],
    ),
    (
        "de",
        """Nenne drei Vorteile.
Pro Vorteil mindestens 30 Wörter.
Der gesamte Text bleibt unter 80 Wörtern.
Produkt: {{produkt}}""",
        [("limits", "unter 80 Wörtern")],
    ),
    (
        "fr",
        """Résume l'article en une seule phrase.
Le résumé comporte entre trois et cinq phrases.
Article : \"\"\"{{article}}\"\"\"""",
        [("limits", "entre trois et cinq phrases")],
    ),
    (
        "fr",
        """Attribue une étiquette parmi : positif, négatif, neutre.
N'écris que l'étiquette.

Avis : Très bon accueil.
Étiquette : positif
Avis : Bof.
Étiquette : mitigé

Avis : {{avis}}
Étiquette :""",
        [("labels", "mitigé")],
    ),
    (
        "fr",
        """Réponds au courriel au nom du service client.
[à compléter : politique de remboursement]
Pas plus de 80 mots.
Courriel : <<<{{courriel}}>>>""",
        [("leftover", "à compléter")],
    ),
    (
        "es",
        """Redacta un correo de respuesta de como mucho 40 palabras.
Explica con detalle las tres opciones; no menos de 100 palabras.
Consulta: {{consulta}}""",
        [("limits", "100 palabras")],
    ),
    (
        "es",
        """Asigna una categoría al incidente: red, hardware, software.
Escribe únicamente la categoría.
Si dudas, escribe "varios".
Incidente: <<<{{incidente}}>>>""",
        [("labels", "varios")],
    ),
    (
        "es",
        """Contesta en formato JSON con los campos "respuesta" y "fuente".
Redacta la respuesta fuera del JSON, en prosa, con dos párrafos.
Pregunta: {{pregunta}}""",
        [("json-prose", "en prosa")],
    ),
    (
        "es",
        """Haz una lista de ideas para {{tema}}.
Pendiente: preguntar a marketing por el tono
Una idea por línea.""",
        [("leftover", "Pendiente")],
    ),
]

SOUND = [
    (
        "en",
        """Act as an editor. Shorten the paragraph to half its length without losing a fact. Keep names and numbers as they are.

Paragraph:
\"\"\"
{{paragraph}}
\"\"\"""",
    ),
    (
        "en",
        """Which of the following best describes the tone of the message: calm, annoyed, angry?

Definitions
calm = states facts, asks politely
annoyed = complains but stays civil
angry = insults, threatens or shouts

Reply with one word.

Message: <m>{{message}}</m>""",
    ),
    (
        "en",
        """Your job is to pick out dates.

Input is one line of a diary. Output is every date in ISO format, separated by commas, or "none".

diary line -> On the third of May we left.
dates -> 2026-05-03

diary line -> {{line}}
dates ->""",
    ),
    (
        "en",
        """Create a table (Markdown) comparing the two offers.
Columns: Feature, Offer 1, Offer 2. Rows: price, duration, notice period.
Write "n/a" where an offer says nothing.

Offer 1: <<<{{one}}>>>
Offer 2: <<<{{two}}>>>""",
    ),
    (
        "en",
        """Context: our shop closes at 18:00 and ships within 3 days.

Customer question: {{question}}

Using the context only, answer the customer in up to 3 sentences. If the context does not contain the answer, say that a colleague will reply within 24 hours.""",
    ),
    (
        "de",
        """Ich gebe dir eine Produktbeschreibung. Erstelle daraus fünf Schlagwörter, durch Kommas getrennt, alle klein geschrieben.

Beschreibung: <<<{{beschreibung}}>>>""",
    ),
    (
        "de",
        """Prüfe, ob die Rechnung vollständig ist.

Eine Rechnung ist vollständig, wenn sie Datum, Nummer, Betrag und Steuersatz nennt.

Antworte mit „ja“ oder „nein“. Steht „nein“, folgt nach einem Doppelpunkt, was fehlt.

Rechnung:
<rechnung>{{rechnung}}</rechnung>""",
    ),
    (
        "de",
        """### Rolle
Trainer für Bewerbungsgespräche

### Auftrag
Stelle dem Bewerber eine einzige Nachfrage zu seiner Antwort.

### Antwort des Bewerbers
{{antwort}}""",
    ),
    (
        "fr",
        """À partir de la transcription, dresse la liste des décisions prises.

- une décision par ligne
- chaque ligne commence par un verbe
- pas de commentaire

Transcription : \"\"\"{{transcription}}\"\"\"""",
    ),
    (
        "fr",
        """Traduis le texte suivant en anglais britannique. Conserve la mise en forme et les noms propres.

<texte>
{{texte}}
</texte>""",
    ),
    (
        "es",
        """A continuación tienes una receta. Escríbela de nuevo para cuatro personas y convierte las medidas al sistema métrico. Mantén el orden de los pasos.

Receta:
<<<{{receta}}>>>""",
    ),
    (
        "es",
        """Indica si el enunciado es verdadero o falso. Responde con una sola palabra: verdadero o falso.

Enunciado: {{enunciado}}""",
    ),
]
