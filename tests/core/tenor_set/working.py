"""The half that is worked with."""

FLAWED = [
    (
        "en",
        """Write a product blurb for {{item}}.
Keep it under 40 words.
Mention who it is for and what it costs.
The blurb should run to at least 80 words so that search engines take it seriously.""",
        [("limits", "at least 80 words")],
    ),
    (
        "en",
        """You sort support tickets for a bicycle rental.
Possible categories: billing, damage, lost key, praise.
Reply with the category and nothing else.

Ticket: The saddle came off on the first hill.
Category: damage
Ticket: Somebody charged me twice.
Category: payment

Ticket: {{ticket}}
Category:""",
        [("labels", "payment")],
    ),
    (
        "en",
        """Pull the following out of the e-mail below and give it back as a JSON object with the keys "name", "date" and "amount".

<email>
{{email}}
</email>

After the JSON object, add a short paragraph that explains how you found each value.""",
        [("json-prose", "short paragraph")],
    ),
    (
        "en",
        """Summarise the minutes in three bullet points of no fewer than 20 words each.
The whole summary must not exceed 45 words.
Minutes:
\"\"\"
{{minutes}}
\"\"\"""",
        [("limits", "45 words")],
    ),
    (
        "en",
        """Turn the recipe into a shopping list.
One ingredient per line, no amounts.
[insert brand voice here]
Recipe:
{{recipe}}""",
        [("leftover", "insert brand voice")],
    ),
    (
        "en",
        """Translate the label text into plain English.
Never use jargon.
Do not add anything.
Don't mention the manufacturer.
Avoid Latin names.
No exclamation marks.

<<<{{label}}>>>""",
        [("only-prohibitions", "Never use jargon")],
    ),
    (
        "en",
        """Decide whether the review is positive, negative or mixed.
Answer with exactly one of these words.
If you cannot tell, answer "unclear".

Review: ***{{review}}***""",
        [("labels", "unclear")],
    ),
    (
        "en",
        """Give me a JSON array of the towns named in the text.

Example
Text: We went from Alby to Norr and back.
Answer: Alby and Norr

Text: {{text}}
Answer:""",
        [("example-form", "Alby and Norr")],
    ),
    (
        "en",
        """Extract all invoice numbers from the letter between the tags.
Return them as a comma-separated list.

<letter>
{{letter}}

If there are none, return an empty line.""",
        [("unclosed", "<letter>")],
    ),
    (
        "en",
        """Write a headline for the story.
Use a maximum of eight words.
No clickbait.
Use no more than 8 words for the headline.

Story: \"\"\"{{story}}\"\"\"""",
        [("duplicate", "no more than 8 words")],
    ),
    (
        "de",
        """Fasse den folgenden Vermerk in genau zwei Sätzen zusammen.
Schreibe mindestens fünf Sätze, damit nichts verloren geht.

Vermerk:
\"\"\"
{{vermerk}}
\"\"\"""",
        [("limits", "mindestens fünf Sätze")],
    ),
    (
        "de",
        """Ordne die Anfrage einer der Kategorien zu: Rechnung, Lieferung, Rückgabe.
Gib nur die Kategorie aus.

Anfrage: Wo bleibt mein Paket?
Kategorie: Lieferung
Anfrage: Ich will mein Geld zurück.
Kategorie: Reklamation

Anfrage: {{anfrage}}
Kategorie:""",
        [("labels", "Reklamation")],
    ),
    (
        "de",
        """Du bist Redakteurin einer Lokalzeitung.
Schreibe eine Meldung zu {{thema}}.
Höchstens 60 Wörter.
TODO: Tonfall mit Frau Berger klären
Nenne Ort und Datum.""",
        [("leftover", "TODO")],
    ),
    (
        "de",
        """Lies die Bewertung und gib das Ergebnis als JSON mit den Schlüsseln "stimmung" und "thema" aus.
Erkläre danach in einem Absatz, warum du so entschieden hast.

<bewertung>{{bewertung}}</bewertung>""",
        [("json-prose", "in einem Absatz")],
    ),
    (
        "de",
        """Liste die Aufgaben aus dem Protokoll als Stichpunkte auf.
Jeder Stichpunkt hat höchstens zehn Wörter.
Nicht mehr als 5 Stichpunkte.
Insgesamt mindestens 120 Wörter.

Protokoll: {{protokoll}}""",
        [("limits", "120 Wörter")],
    ),
    (
        "fr",
        """Rédige une réponse au client ci-dessous.
La réponse ne doit pas dépasser 50 mots.
Elle compte au moins 100 mots.

Message du client :
« {{message}} »""",
        [("limits", "au moins 100 mots")],
    ),
    (
        "fr",
        """Classe le message dans l'une des catégories suivantes : facture, livraison, technique.
Réponds uniquement par la catégorie.
Si aucune ne convient, réponds « autre ».

Message : {{message}}""",
        [("labels", "autre")],
    ),
    (
        "fr",
        """Extrais du texte les clés "nom", "ville" et "prix" et renvoie-les au format JSON.
Rédige ensuite un court paragraphe de commentaire pour le lecteur.

<texte>{{texte}}</texte>""",
        [("json-prose", "court paragraphe")],
    ),
    (
        "es",
        """Resume la noticia en un máximo de 30 palabras.
El resumen debe tener al menos cuatro frases y no menos de 90 palabras.

Noticia: \"\"\"{{noticia}}\"\"\"""",
        [("limits", "90 palabras")],
    ),
    (
        "es",
        """Clasifica el comentario con una de estas etiquetas: queja, consulta, elogio.
Responde solo con la etiqueta.

Comentario: No funciona nada.
Etiqueta: queja
Comentario: ¿A qué hora abren?
Etiqueta: pregunta

Comentario: {{comentario}}
Etiqueta:""",
        [("labels", "pregunta")],
    ),
    (
        "es",
        """Escribe una descripción del piso para el anuncio.
[AÑADIR AQUÍ EL NOMBRE DE LA AGENCIA]
Entre 50 y 80 palabras.
Datos: {{datos}}""",
        [("leftover", "AÑADIR AQUÍ")],
    ),
    (
        "es",
        """Devuelve un objeto JSON con las claves "fecha" y "lugar".
Después del JSON, escribe un párrafo que lo explique.

Texto: <<<{{texto}}>>>""",
        [("json-prose", "escribe un párrafo")],
    ),
]

SOUND = [
    (
        "en",
        """You are a librarian who writes for ten-year-olds.

Describe the book below in two or three sentences. Say what it is about and why a child might like it. Do not give away the ending.

Book:
<book>
{{book}}
</book>""",
    ),
    (
        "en",
        """# Task
Decide which department a letter belongs to.

# Departments
- parking: permits, fines, signs
- waste: bins, collection days, recycling
- trees: pruning, storm damage
- other: everything else

# Output
One line with the name of the department, in lower case.

# Letter
\"\"\"
{{letter}}
\"\"\"""",
    ),
    (
        "en",
        """Extract the order as JSON with these keys:
- "sku" (string)
- "quantity" (integer, 1 if not stated)
- "gift" (true or false)

Return only the JSON object. Use null for a key that the message says nothing about.

Message: ---
{{message}}
---""",
    ),
    (
        "en",
        """Rewrite the notice so that someone who has lived here for a month understands it.

1. Keep every date, time and place.
2. Sentences of at most 15 words.
3. At most 120 words in all.
4. Replace terms of the trade with everyday words.

Notice:
<<<
{{notice}}
>>>""",
    ),
    (
        "en",
        """Step 1: Read the two answers below.
Step 2: Note which of them answers the question more fully.
Step 3: Reply with "A", "B" or "tie".

Question: {{question}}
Answer A: {{a}}
Answer B: {{b}}""",
    ),
    (
        "de",
        """Du hilfst der Fundstelle eines Bahnhofs.

Lies die Meldung zwischen den Marken und nenne den verlorenen Gegenstand, den Ort und die Uhrzeit. Antworte in einem Satz. Fehlt eine Angabe, schreibe „unbekannt“.

<meldung>
{{meldung}}
</meldung>""",
    ),
    (
        "de",
        """Aufgabe: Formuliere die Absage freundlicher.

Regeln:
– höchstens 90 Wörter
– keine Floskeln
– der Grund bleibt genannt

Absage:
\"\"\"{{absage}}\"\"\"""",
    ),
    (
        "de",
        """Bestimme die Sprache des folgenden Textes und gib nur den zweibuchstabigen Code aus (z. B. de, en, fr).

Text: {{text}}""",
    ),
    (
        "fr",
        """Tu es conseillère dans une agence de voyage.

Réponds à la question du client en trois phrases au plus. Cite toujours l'horaire exact s'il figure dans les notes. N'invente rien : si les notes ne disent rien, dis-le.

Notes :
<notes>{{notes}}</notes>

Question : {{question}}""",
    ),
    (
        "fr",
        """Transforme la liste de courses en tableau avec les colonnes Article, Quantité, Rayon.

Une ligne par article. Laisse la quantité vide si elle n'est pas donnée.

Liste :
{{liste}}""",
    ),
    (
        "es",
        """Eres recepcionista de un hotel pequeño.

Contesta al mensaje con amabilidad y en un máximo de 60 palabras. Si piden algo que no ofrecemos, propón una alternativa.

Mensaje:
\"\"\"{{mensaje}}\"\"\"""",
    ),
    (
        "es",
        """Corrige la ortografía y la puntuación del texto. No cambies el sentido ni el orden de las frases. Devuelve solo el texto corregido.

Texto: <<<{{texto}}>>>""",
    ),
]
