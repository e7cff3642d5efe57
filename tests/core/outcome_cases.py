"""Answers and what they are, by hand: (text, finish reason, kind). In WORKED the rules were
mended; HELD was written at the same time and looked at only once they were done.

A kind with a question mark may be told for sure or as looking so; without one, an answer must
not be called anything else for sure.
"""

BOAT = "The night boat leaves Skerry at ten past eleven and calls at Holm before dawn. "
LONG = BOAT * 3

WORKED = [
    # --- declined, English
    ("I'm sorry, but I can't help with that.", "stop", "declined"),
    ("I cannot assist with this request.", "stop", "declined"),
    ("Sorry, I'm not able to discuss other passengers' bookings.", "stop", "declined"),
    ("I apologize, but I won't be able to complete this task, as it may reveal private details.", "stop", "declined"),
    ("As a language model I do not have opinions and I am unable to pick a winner here.", "stop", "declined"),
    ("Unfortunately, that's something I can't do. It goes against my guidelines. Is there anything else you would like to know?", "stop", "declined"),
    ("I must respectfully decline to write this. Please consult a lawyer instead.", "stop", "declined"),
    ("I’m really sorry — I can’t provide medical dosages. Please speak to a pharmacist, who can check what is safe.", None, "declined"),
    ("Thank you for reaching out. I'm afraid I cannot comply with this instruction because it would be harmful.", "stop", "declined"),
    ("I don't feel comfortable generating that kind of message.", "stop", "declined"),
    # --- declined, other languages
    ("Es tut mir leid, aber dabei kann ich Ihnen nicht helfen.", "stop", "declined"),
    ("Leider kann ich diese Anfrage nicht beantworten, da sie gegen meine Richtlinien verstößt.", "stop", "declined"),
    ("Als KI-Assistent darf ich keine Rechtsberatung geben. Bitte wenden Sie sich an eine Kanzlei.", "stop", "declined"),
    ("Je suis désolé, mais je ne peux pas vous aider avec cette demande.", "stop", "declined"),
    ("En tant qu'IA, je ne suis pas en mesure de répondre à cette question.", "stop", "declined"),
    ("Lo siento, pero no puedo ayudarte con eso.", "stop", "declined"),
    ("Como modelo de lenguaje, no puedo ofrecer consejos médicos. Consulte a un profesional.", "stop", "declined"),
    # --- declined by form
    ('{"error": "request refused"}', "stop", "declined"),
    ('{"error": {"code": 3, "message": "This content cannot be processed"}, "status": "failed"}', None, "declined"),
    ("anything", "content_filter", "declined"),
    # --- answers that speak like refusals
    ("I'm sorry you had to wait. Your parcel left the depot this morning and arrives on Friday before noon; the courier rings twice.", "stop", "answered"),
    ("Dear Ms Lund,\n\nI'm sorry, but I cannot refund a ticket that was used. I have added a voucher to your account instead.\n\nKind regards,\nThe harbour office", "stop", "answered"),
    ("“I can't help you with that,” said the keeper, and closed the shutter.", "stop", "answered"),
    ("Sorry for the confusion! The total is 42.", "stop", "answered"),
    ("I can't recommend the harbour café enough: warm rolls, strong tea and a view of every boat that comes in.", "stop", "answered"),
    ("I can't give you an exact figure, but here is a range: between 300 and 450 crates a week, with the most in August and the fewest in January, going by the log.", "stop", "answered"),
    ("I cannot open the attachment. However, from your description: the valve sticks because the gasket has dried out; soak it in oil overnight and turn it slowly in the morning.", "stop", "answered"),
    ("refusal", "stop", "answered"),
    ("The customer writes that she cannot help with the move on Saturday and asks for another date.", "stop", "answered"),
    ('{"error": null, "category": "delay"}', "stop", "answered"),
    ('{"error": "E42", "cause": "sensor", "remedy": "replace the sensor"}', "stop", "answered"),
    ("Ich kann es kaum erwarten, Sie an Bord zu begrüßen! Die Abfahrt ist um neun.", "stop", "answered"),
    ("Je ne peux que vous féliciter : votre dossier est complet.", "stop", "answered"),
    ("No puedo evitar sonreír cuando leo tu carta. El barco sale a las nueve.", "stop", "answered"),
    ("Leider ist die Fähre heute ausgefallen; die nächste fährt um 14 Uhr.", "stop", "answered"),
    ("We cannot take it back after thirty days.", "stop", "answered"),
    # --- cut
    (LONG + "It carries", "length", "cut"),
    (LONG + "The crew waits for the", None, "cut"),
    (LONG + "On board there are blankets, tea,", None, "cut"),
    ('[{"place": "Holm", "tide": 3.1}, {"place": "Sker', "stop", "cut"),
    ("| boat | hour |\n|---|---|\n| Tern | 9 |\n| Kittiwake", None, "cut"),
    ("1. Untie the bow.\n2. Start the engine.\n3.", None, "cut"),
    ("```python\nfor boat in boats:\n    print(boat", None, "cut"),
    ("Die Fähre fährt um neun Uhr ab und legt in Holm an, bevor sie weiter nach Skerry und zum", None, "cut"),
    ("Le bateau part à neuf heures du port et fait escale à Holm avant de continuer vers les", None, "cut"),
    # --- whole, though they look otherwise
    (LONG + "That is what we were waiting for", "stop", "answered"),
    ("Kind words that begin with S: soft, sweet, sunny, sincere, steady, strong, such as you are to", "stop", "answered"),
    ("Holm, Skerry, Tarn,", "stop", "answered"),
    (LONG + "\n\nWith kind regards,", None, "answered"),
    ("- bring a coat\n- bring a torch\n- leave the dog at home", None, "answered"),
    # --- empty
    ("  \n", "stop", "empty"),
    ("```\n```", "stop", "empty"),
    ("…", "stop", "empty"),
    ("", "tool_calls", "empty"),
    ("0", "stop", "answered"),
    ("[]", "stop", "answered"),
]  # fmt: skip

HELD = [
    # --- declined, English
    ("I'm unable to fulfill that request.", "stop", "declined"),
    ("I won't write that.", "stop", "declined"),
    ("My apologies, but producing such a text is not something I can do.", "stop", "declined"),
    ("I'm just an AI, so I can't make bookings on your behalf.", "stop", "declined"),
    ("That is not a request I am able to fulfil, since it touches on someone's private life.", "stop", "declined"),
    ("I have to decline. The message asks for personal data of a third person.", "stop", "declined"),
    ("Sorry, but this isn't something I'm permitted to talk about.", "stop", "declined"),
    ("Regrettably I cannot generate the review you asked for. Let me know if I can help with anything else!", "stop", "declined"),
    ("I appreciate your trust, but I am not in a position to give legal advice on this matter. A solicitor will be able to help.", None, "declined"),
    ("I do not have the ability to open links, so I cannot summarize this page for you.", "stop", "declined"),
    # --- declined, other languages
    ("Entschuldigung, aber diesen Text darf ich nicht schreiben.", "stop", "declined"),
    ("Ich bin nicht in der Lage, diese Aufgabe auszuführen.", "stop", "declined"),
    ("Das kann ich leider nicht tun, weil es anderen schaden könnte.", "stop", "declined"),
    ("Je regrette, je ne suis pas autorisé à fournir ce genre d'informations.", "stop", "declined"),
    ("Malheureusement, il m'est impossible de rédiger ce message. N'hésitez pas à me poser une autre question.", "stop", "declined"),
    ("Lamentablemente no puedo cumplir con esta solicitud, ya que infringe las normas.", "stop", "declined"),
    ("No me es posible responder a esa pregunta.", "stop", "declined"),
    # --- declined by form
    ('{"refusal": "not permitted"}', "stop", "declined"),
    ('```json\n{"error": "I cannot extract anything from this text"}\n```', "stop", "declined"),
    ("", "content_filter", "declined"),
    # --- answers that speak like refusals
    ("I'm afraid the lighthouse is closed on Mondays. It opens on Tuesday at ten, and the last tour begins at four in the afternoon.", "stop", "answered"),
    ("Hello Mr Brandt,\n\nI am sorry that I cannot come on Thursday. Could we meet on Friday at noon in the office by the quay?\n\nBest wishes,\nAda", "stop", "answered"),
    ("'I won't answer that,' the witness said twice before the court rose.", "stop", "answered"),
    ("My apologies for the late reply! Cabin 12 is yours from the third to the seventh.", "stop", "answered"),
    ("I can't stress this enough: switch the current off before you open the lid.", "stop", "answered"),
    ("I can't see the photo, but going by what you say it is a herring gull: a grey back, pink legs, a yellow beak with a red spot, and the cry you describe fits well.", "stop", "answered"),
    ("I'm not able to test it here. Here is the function you asked for:\n\n```python\ndef area(r):\n    return 3.14159 * r * r\n```", "stop", "answered"),
    ("declined", "stop", "answered"),
    ("The sender says he is not allowed to share the list and refuses to name the supplier.", "stop", "answered"),
    ('{"error": false, "items": [1, 2]}', "stop", "answered"),
    ('{"errors": ["row 3 has no date"], "rows_read": 120}', "stop", "answered"),
    ("Ich kann Ihnen gar nicht genug danken. Die Unterlagen sind vollständig, und die Überweisung geht morgen raus.", "stop", "answered"),
    ("Je suis désolé pour ce retard. Votre colis arrivera jeudi avant midi.", "stop", "answered"),
    ("Lo siento por la espera. Su habitación ya está lista y puede subir cuando quiera.", "stop", "answered"),
    ("Bedauerlicherweise war der Versand verspätet; das Paket kommt am Freitag an.", "stop", "answered"),
    ("No, this offer cannot be combined with another one.", "stop", "answered"),
    # --- cut
    ("A list of", "length", "cut"),
    (LONG + "Its captain knows every rock and", None, "cut"),
    (LONG + "She has sailed for the company since she was a gi-", None, "cut"),
    ('{"title": "Tides", "rows": [1, 2, 3', "stop", "cut"),
    ("| name | count | share |\n|---|---|---|\n| herring | 12 | 40 % |\n| cod | 9", None, "cut"),
    ("What to pack:\n\n- a coat\n- a torch\n-", None, "cut"),
    ("Here is the file:\n\n```yaml\nname: tern\nports:\n  - holm\n  -", None, "cut"),
    ("El barco sale a las nueve del puerto y hace una parada en Holm antes de seguir hacia los", None, "cut"),
    ("<report><title>Tides</title><body>High water was at nine in the mor", None, "cut"),
    # --- whole, though they look otherwise
    (LONG + "There is nothing more to tell of", "stop", "answered"),
    ("First and last letters of the names you gave me, in the order in which you gave them: h and m, s and y, t and", "stop", "answered"),
    ("red, green,", "stop", "answered"),
    ("Sehr geehrte Frau Holm,\n\nvielen Dank für Ihre Nachricht. Wir melden uns morgen.\n\nMit freundlichen Grüßen,", None, "answered"),
    ("| a | b |\n|---|---|\n| 1 | 2 |", None, "answered"),
    # --- empty
    ("\u200b \u00a0", "stop", "empty"),
    ("---", "stop", "empty"),
    ('""', "stop", "empty"),
    ("   ", None, "empty"),
    ("?", "stop", "answered"),
    ("{}", "stop", "answered"),
]  # fmt: skip
