"""The half that is worked with."""

ORDINARY = [
    """You are a careful archivist. ¦ Read the letter and list every person named in it. ¦ Give each name once. ¦
Do not guess. ¦

- Write surname first. ¦
- Leave titles out, e.g. Dr. or Prof. ¦
- If no one is named, write "nobody". ¦

Letter:
{{letter}}""",
    """# Task ¦
Sort the message into one of the classes below. ¦

# Classes ¦
1. complaint ¦
2. praise ¦
3. question ¦

# Output ¦
Reply with the number only. ¦ No explanation.

¦ Message: {{message}}""",
    """Summarise the article in at most 3 sentences. ¦ Use plain words. ¦ Keep figures such as 4.5 or 1,200 as they are. ¦ Aim for grade 8. ¦ Then stop.

¦ <article>
{{article}}
</article>""",
    """Translate the text to French. ¦ Keep names, e.g. Mr. Hill, unchanged. ¦ What if a word has no equivalent? ¦ Keep it in English!

¦ \"\"\"
{{text}}
\"\"\"""",
    """Du bist Lektorin. ¦ Korrigiere den Text, z. B. Kommas und Großschreibung. ¦ Ändere den Stil nicht. ¦ Gib nur den Text zurück.

¦ Text: {{text}}""",
    """Réponds au client en deux phrases, p. ex. en citant l'horaire. ¦ Reste poli. ¦ Ne promets rien.

¦ Client : {{message}}""",
    """Clasifica el correo del Sr. Gil. ¦ Usa solo una palabra. ¦ Si dudas, pregunta.

¦ Correo: {{correo}}""",
    """Extract as JSON with these keys: ¦
- "name": the full name ¦
- "age": a whole number, null if unknown ¦

Return nothing else. ¦

Text: ###
{{text}}
###""",
]

HARD = [
    """ROLE ¦
Travel agent ¦

RULES ¦
Write short lines ¦
Use no exclamation marks ¦
Name the price ¦

REQUEST ¦
{{request}}""",
    """classify the note as urgent or not. ¦ answer with one word. ¦ don't explain.

¦ note: {{note}}""",
    """Label the sentiment.

¦ Text: Lovely place
Label: positive

¦ Text: Never again
Label: negative

¦ Text: {{text}}
Label:""",
    """Return this structure:

¦ {
  "title": "...",
  "tags": ["...", "..."]
}

¦ Fill every key. ¦ Keep the order.

¦ Input: {{input}}""",
    """Instructions ¦
✅ Keep it friendly ¦
❌ No jargon ¦
• one greeting ¦
– one closing line ¦

Step 1: Read the mail. ¦
Step 2: Find the question. ¦
Step 3: Answer it. ¦

Mail: {{mail}}""",
    """次の文章を要約してください。¦三文以内で書いてください。¦専門用語は使わないでください。

¦ 文章：{{text}}""",
    """Compare the plans.

¦ | Plan | Price |
|------|-------|
| A    | 10    |
| B    | 12    |

¦ Say which is cheaper. ¦ One sentence.

¦ {{question}}""",
]
