"""Replies in other wording and languages, written after the reader was done: (role, reply, items).

None for what is to be refused, SOME for two clauses or more.
"""

import json
import unittest

from nomikon.core.consulting.roles import UnreadableReplyError, read_reply
from tests.core.reply_habits import plain
from tests.core.test_replies import AMENDMENTS, SUBJECT

SOME = object()
CASES = [
 # role, reply, expected: items or None for refused, check
 ("amendments","Gerne! Ich habe drei Vorschläge:\n\n```json\n"+plain(AMENDMENTS)+"\n```\n\nSagen Sie Bescheid, falls etwas fehlt.",3),
 ("amendments","Voici mes propositions :\n"+plain(AMENDMENTS),3),
 ("amendments",json.dumps({"Amendments":[{"Kind":"AMEND","Clause":"Clause 2","Text":"Keep to two.","Reason":"r","Fault":"#1"},{"Kind":"Remove","Clause":"§ 4","Reason":"r"}]}),2),
 ("amendments",json.dumps([{"kind":"modify","clause":"2.","new_text":"Keep to two sentences.","rationale":"x"}]),1),
 ("amendments",json.dumps({"amendments":{"1":{"kind":"add","clause":"one","text":"Be kind.","reason":"x"},"2":{"kind":"delete","clause":"4","reason":"x"}}}),2),
 ("amendments","I suggest you change clause 2 to be shorter and drop clause 4.",None),
 ("amendments",json.dumps({"amendments":[{"kind":"amend","clause":"2 or 3","text":"x y","reason":"r"}]}),0),
 ("amendments",'{"amendments": [{"kind": "amend", "clause": 2, "text": "Say "yes" or "no", never both.", "reason": "Clear."}]}',1),
 ("amendments",'```json\n{"amendments": [{"kind": "add", "clause": 3, "text": "Answer like this:\n```\nDear guest\n```", "reason": "Form."}]}\n```',1),
 ("amendments",'{"amendments": [{"kind": "add", "clause": 3, "text": "Be kind.", "reason": "x"}, {"kind": "add", "clause": 3, "te',None),
 ("shorter",'{amendments: [{kind: "strike", clause: 4, reason: "needless"}]}',1),
 ("shorter",json.dumps({"amendments":[{"kind":"amend","clause":2,"text":"Keep to three sentences at the very most, and no more than that.","reason":"x"}]}),0),
 ("draft","**System**\nYou answer letters of guests.\nBe brief.\n\n**User**\nLetter: {letter}\nRoom: {room}",SOME),
 ("draft",json.dumps({"prompt":"You answer letters.\n\nLetter: {{letter}}\nRoom: {{room}}"}),SOME),
 ("draft",json.dumps({"messages":[{"role":"system","content":"You answer letters."},{"role":"user","content":"Letter: {{letter}} Room: {{room}}"}]}),SOME),
 ("draft","Happy to help! Which tone would you like, and how long may the letter be?",None),
 ("draft",json.dumps({"clauses":["You answer letters of guests.","Never promise money.","Letter: {{letter}} in room {{room}}"]}),3),
 ("questions","Here are my questions:\n\n- Who signs the letter?\n- May it offer a date?\n- Is there a length limit?",3),
 ("questions",json.dumps({"questions":["Who signs?","How long may it be?"]}),2),
 ("questions",json.dumps({"data":{"open_questions":[{"question":"Who signs?","options":"the house; the manager"}]}}),1),
 ("questions","What tone would you like me to use?",None),
 ("cases",json.dumps([{"letter":"The tap drips all night and I cannot sleep.","room":"7","expected":"We are sorry."}]),1),
 ("cases","\n".join(json.dumps({"inputs":{"letter":f"A letter about matter {w}","room":n}}) for n,w in enumerate(("soap","stairs","soup"))), 3),
 ("cases",json.dumps({"test_cases":[{"input":{"Letter":"Cold soup again at dinner.","Room":4},"label":None}]}),1),
 ("cases","letter,room\nThe bed is hard.,4",None),
 ("rubric",json.dumps({"rubric":{"criteria":[{"criterion":"warmth","description":"Kind?","scale":{"1":"cold","2":"correct","3":"kind"},"weight":"two"}]}}),1),
 ("rubric",json.dumps({"criteria":[{"name":"warmth","asks":"Kind?","levels":[{"level":2,"description":"kind"},{"level":1,"description":"cold"}],"weight":1}]}),1),
 ("rubric",json.dumps({"criteria":[{"name":"warmth","asks":"Kind?","levels":"cold to kind","weight":1}]}),None),
 ("rubric-judge",json.dumps({"Warmth":{"Score":"drei","Begründung":"x"},"Plain words":{"Level":2}}),2),
 ("rubric-judge","Warmth: 3 – it thanks the guest.\nPlain words: 2 – one stiff word.",None),
 ("rubric-judge",json.dumps({"scores":{"warmth":3,"plain words":2},"comment":"fine"}),2),
 ("rubric-judge",json.dumps({"warmth":3,"plain words":"between 1 and 2"}),None),
 ("rubric-judge","<think>maybe {\"warmth\": {\"level\": 1}}</think>"+json.dumps({"warmth":{"level":3,"reason":"r"},"plain words":{"level":2,"reason":"r"}}),2),
 ("rubric-judge",json.dumps({"warmth":{"level":3,"reason":"r"},"plain words":{"level":2,"reason":"r"}})+"\n\nI hope this helps.",2),
 ("rubric-judge",json.dumps({"warmth":{"level":3,"reason":"r"},"plain words":{"level":2,"reason":"r"}})+"\n\nEigentlich müsste warmth 2 sein.",None),
 ("preference-judge",json.dumps({"better":"the first answer","reason":"x"}),1),
 ("preference-judge",json.dumps({"better":"A","reason":"x"}),None),
 ("preference-judge","Both are fine, but I lean to the second.",None),
 ("precedent-judge",json.dumps({"precedent":{"level":"2/2","reason":"x"}}),1),
 ("precedent-judge",json.dumps({"precedent":{"level":"maybe","reason":"x"}}),None),
 ("user","Me: *sighs* When does it sail?",1),
 ("user","(END)",1),
 ("alike","Natürlich, hier ist der Prompt:\n\nYou sort letters.\n\nLetter: {{letter}}",1),
 ("alike","Lo siento, no puedo ayudarte con eso.",None),
]  # fmt: skip


class LaterCasesTest(unittest.TestCase):
    def test_each_is_read_rightly_or_refused(self):
        for role, reply, items in CASES:
            with self.subTest(role=role, reply=reply[:100]):
                if items is None:
                    with self.assertRaises(UnreadableReplyError):
                        read_reply(role, reply, SUBJECT)
                    continue
                found = read_reply(role, reply, SUBJECT).items
                self.assertTrue(found >= 2 if items is SOME else found == items, found)
