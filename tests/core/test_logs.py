"""Logs as they come: every shape of line and file, and what of a conversation is a case."""

import io
import json
import unittest

from nomikon.core.cases.logs import TALK, open_log
from nomikon.core.cases.tables import Refused
from nomikon.core.cases.talks import Talk, cases_of_talk, talk_from
from nomikon.core.errors import TableError


def user(text):
    return {"role": "user", "content": text}


def said(text):
    return {"role": "assistant", "content": text}


def lines(*values):
    return "\n".join(json.dumps(v) for v in values)


def attribute(key, value):
    return {
        "key": key,
        "value": {"stringValue": value if isinstance(value, str) else json.dumps(value)},
    }


def spans(*found):
    return json.dumps({"resourceSpans": [{"scopeSpans": [{"spans": list(found)}]}]})


def read(data, way="last"):
    """(message, history, answer, system) of every case, and the lines refused with their reasons."""
    table = open_log(io.BytesIO(data if isinstance(data, bytes) else data.encode()))
    cases, refused = [], []
    for record in table.records():
        if isinstance(record, Refused):
            refused.append((record.line, record.reason))
            continue
        for c in cases_of_talk(talk_from(record.values[TALK]), way):
            cases.append((c.message, c.as_text, c.answer, c.system))
    return cases, refused


PART = {"type": "text"}
SHAPES = {
    "messages, system first": (
        lines({"messages": [{"role": "system", "content": "Be brief"}, user("Hi"), said("Hello"),
                            user("When?"), said("At 5")]}),
        [("When?", "User: Hi\nAssistant: Hello", "At 5", "Be brief")],
    ),
    "other words for who and what": (
        lines({"id": "x", "conversations": [{"from": "human", "value": "Hi"},
                                             {"from": "bot", "value": "Yo"}]}),
        [("Hi", "", "Yo", "")],
    ),
    "a list alone": (lines([user("Hi"), said("Yo")]), [("Hi", "", "Yo", "")]),
    "texts in parts": (
        lines({"messages": [{"role": "user", "content": [{**PART, "text": "Look"},
                                                          {**PART, "text": "here"}]}]}),
        [("Look\nhere", "", None, "")],
    ),
    "asked and answered apart": (
        lines({"request": {"messages": [user("Hi")]},
               "response": {"choices": [{"message": said("Yo")}], "usage": {"prompt_tokens": 3}}}),
        [("Hi", "", "Yo", "")],
    ),
    "system beside, answer in parts": (
        lines({"request": {"system": "S", "messages": [user("Hi")]},
               "response": {"content": [{**PART, "text": "Yo"}]}}),
        [("Hi", "", "Yo", "S")],
    ),
    "a prompt and its completion": (
        lines({"prompt": "Hi", "completion": "Yo"}), [("Hi", "", "Yo", "")]
    ),
    "one message a line": (
        lines({"session": 1, **user("Hi")}, {"session": 1, **said("Yo")}, {"session": 2, **user("Ho")}),
        [("Hi", "", "Yo", ""), ("Ho", "", None, "")],
    ),
    "messages as text in a cell": (
        lines({"id": 1, "messages": json.dumps([user("Hi"), said("Yo")])}), [("Hi", "", "Yo", "")]
    ),
    "who speaks as an object": (
        lines({"messages": [{"author": {"role": "user"}, "content": {"parts": ["Hi"]}}]}),
        [("Hi", "", None, "")],
    ),
    "a tool between": (
        lines({"messages": [user("Hi"), {"role": "assistant", "content": None},
                            {"role": "tool", "content": "42"}, said("It is 42")]}),
        [("Hi", "", "It is 42", "")],
    ),
    "one JSON value over many lines": (
        json.dumps([[user("Hi"), said("Yo")], [user("Ho")]], indent=1),
        [("Hi", "", "Yo", ""), ("Ho", "", None, "")],
    ),
    "an object that holds them": (
        json.dumps({"data": [{"messages": [user("Hi")]}]}, indent=2), [("Hi", "", None, "")]
    ),
    "another encoding": (
        lines({"messages": [user("Grüße")]}).encode("utf-16"), [("Grüße", "", None, "")]
    ),
    "calls as spans": (
        spans({"attributes": [
            attribute("gen_ai.input.messages", [{"role": "user", "parts": [{**PART, "content": "Hi"}]}]),
            attribute("gen_ai.output.messages",
                      [{"role": "assistant", "parts": [{**PART, "content": "Yo"}]}])]},
            {"attributes": [attribute("http.method", "GET")]}),
        [("Hi", "", "Yo", "")],
    ),
    "spans with numbered attributes": (
        spans({"attributes": [attribute("gen_ai.prompt.0.role", "system"),
                              attribute("gen_ai.prompt.0.content", "S"),
                              attribute("gen_ai.prompt.1.role", "user"),
                              attribute("gen_ai.prompt.1.content", "Hi"),
                              attribute("gen_ai.completion.0.content", "Yo")]}),
        [("Hi", "", "Yo", "S")],
    ),
    "spans with events": (
        spans({"events": [{"name": "gen_ai.user.message", "attributes": [attribute("content", "Hi")]},
                          {"name": "gen_ai.choice", "attributes": [attribute("content", "Yo")]}]}),
        [("Hi", "", "Yo", "")],
    ),
    "a line a turn, out of order": (
        "Gespräch;Zug;Rolle;Nachricht\n1;1;Kunde;Guten Tag\n1;2;Berater;Hallo\n2;1;Kunde;Wann?\n"
        '1;3;Kunde;"Und\njetzt?"\n',
        [("Und\njetzt?", "User: Guten Tag\nAssistant: Hallo", None, ""), ("Wann?", "", None, "")],
    ),
    "turns by time": (
        "chat id\ttime\tfrom\tmessage\n1\t10:05\tagent\tB\n1\t10:01\tvisitor\tA\n",
        [("A", "", "B", "")],
    ),
    "Spanish heads": (
        "conversación,turno,rol,mensaje\n7,1,cliente,Hola\n7,2,agente,Buenas\n",
        [("Hola", "", "Buenas", "")],
    ),
}  # fmt: skip


class LogTest(unittest.TestCase):
    def test_every_shape(self):
        for name, (data, wanted) in SHAPES.items():
            with self.subTest(name):
                self.assertEqual(read(data), (wanted, []))

    def test_what_is_no_conversation_is_told_by_line_and_the_rest_is_kept(self):
        good = {"messages": [user("ok")]}
        for bad, why in (
            ({"messages": []}, "the conversation is empty"),
            ({"messages": [{"content": "Hi"}]}, "message 1 has no role"),
            ({"messages": [{"role": "king", "content": "Hi"}]}, "the role 'king' is not known"),
            ({"messages": [user(" ")]}, "every message is empty"),
            ({"x": 1}, "no list of messages in it"),
        ):
            cases, refused = read(lines(bad, good))
            self.assertEqual([c[0] for c in cases], ["ok"])
            self.assertEqual(refused[0][0], 1)
            self.assertIn(why, refused[0][1])
        cases, refused = read("{oops\n" + lines(good))
        self.assertEqual(([c[0] for c in cases], refused[0][0]), (["ok"], 1))
        for data in ("a,b\n1,2\n", "", "  \n"):
            with self.assertRaises(TableError):
                read(data)

    def test_what_of_a_talk_is_a_case(self):
        turns = (
            ("user", "A"),
            ("assistant", "B"),
            ("user", "C"),
            ("assistant", "D"),
            ("user", "E"),
        )
        talk = Talk(turns, "t", {"tokens_out": 4.0})
        last = cases_of_talk(talk, "last")
        self.assertEqual([(c.message, c.answer) for c in last], [("E", None)])
        each = cases_of_talk(talk, "each")
        self.assertEqual(
            [(c.message, c.answer) for c in each], [("A", "B"), ("C", "D"), ("E", None)]
        )
        self.assertEqual(each[1].as_text, "User: A\nAssistant: B")
        self.assertEqual([dict(c.figures) for c in each], [{}, {}, {"tokens_out": 4.0}])
        whole = cases_of_talk(talk, "whole")[0]
        self.assertEqual((whole.turns, whole.message), (("A", "C", "E"), ""))
        with self.assertRaisesRegex(TableError, "no user speaks"):
            cases_of_talk(Talk((("assistant", "only"),)), "last")
