"""The half that no code is written beside."""

ORDINARY = [
    """Act as a tutor for pupils in year 7. ¦ Explain the concept below with one everyday example. ¦ Limit the explanation to 5. ¦ Never give the answer to the exercise.

¦ Concept: {{concept}}""",
    """## Goal ¦
Write a reply to the review. ¦ Thank the guest, address the complaint (if any), and invite them back. ¦

## Style ¦
* Warm, not gushing ¦
* Under 70 words ¦
* Signed "The team, No. 9 Quay St." ¦

## Review ¦
<review>{{review}}</review>""",
    """Check the invoice against the order. ¦ List differences, one per line. ¦ Ignore rounding below 0.05. ¦ If everything matches, say "OK". ¦

Order:
\"\"\"
{{order}}
\"\"\"

¦ Invoice:
\"\"\"
{{invoice}}
\"\"\"""",
    """Beantworte die Frage anhand der Notizen, d. h. ohne eigenes Wissen. ¦ Nenne die Quelle in Klammern, bzw. schreibe „keine Quelle“. ¦ Höchstens 4 Sätze. ¦

Notizen: {{notizen}} ¦
Frage: {{frage}}""",
    """Corrige la redacción del párrafo. ¦ ¿Hay tecnicismos? ¦ Sustitúyelos. ¦ Mantén las cifras, p. ej. 3,5 %. ¦

Párrafo: {{texto}}""",
    """Tu es M. Duval, conseiller. ¦ Lis la demande. ¦ Propose trois créneaux, p. ex. lundi 9 h. ¦ Termine par une question.

¦ Demande : {{demande}}""",
    """Rate the essay from 1 to 5. ¦ Consider:
¦ 1. structure ¦
2. evidence ¦
   - at least two sources
¦ 3. language ¦

Give the number first, then one sentence. ¦

Essay: {{essay}}""",
]

HARD = [
    """Context: museum shop ¦
Task: write a shelf label ¦
Length: 12 words at most ¦
Tone: dry ¦

Product: {{product}}""",
    """you get a chat. ¦ find out what the customer wants. ¦ reply with the intent only.

¦ chat:
<<<
{{chat}}
>>>""",
    """Convert dates.

¦ 3 May 2026 -> 2026-05-03
¦ May the 4th, 2026 -> 2026-05-04

¦ {{date}} ->""",
    """**Audience** ¦
Parents of first-graders ¦

**Message** ¦
School starts at 8:15 ¦
Bring slippers ¦

**Do** ¦
Write the notice ¦
Keep it under 60 words ¦
{{extra}}""",
    """Use this schema:
¦ ```json
{"type": "object", "properties": {"a": {"type": "string"}}}
```
¦ Reply with an instance of it. ¦ No comments.

¦ Source: {{source}}""",
    """请把下面的评论分类。¦只回答“好”或“坏”。¦不要解释。

¦ 评论：{{text}}""",
    """(1) Read the complaint ¦
(2) Decide who is responsible ¦
(3) Draft an apology ¦

➢ no blame ¦
➢ no refunds ¦

Complaint: {{complaint}}""",
]
