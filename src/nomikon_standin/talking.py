"""Playing the user of a conversation: a described person says what they want, then is done."""

from __future__ import annotations

import re

from nomikon_standin.models import Persona
from nomikon_standin.words import chance, sentences

_PLAY = re.compile(
    r"\b(?:you (?:play|act as|speak as|are playing)|play the (?:part|role) of|pretend to be|"
    r"take the part of)\b[^.\n]{0,60}\b(?:person|user|customer|passenger|caller|guest|client|"
    r"visitor|patient|reader|somebody|someone)\b",
    re.I,
)
_SAID = re.compile(r"^[ \t]*(you|user|me|person|customer)[ \t]*:[ \t]*(.*)$", re.I | re.M)
_HEARD = re.compile(r"^[ \t]*(assistant|bot|desk|agent|them|reply)[ \t]*:[ \t]*(.*)$", re.I | re.M)
_WANTS = re.compile(
    r"\b(?:wants?|needs?|wishes|would like|asks?|hopes?|tries)\s+(?:to\s+)?([^.;\n]{3,120})", re.I
)
_STOP = re.compile(
    r"(?:word|reply with|answer with|say|write)\s+(?:the (?:one )?word\s+)?[\"“]?([A-Z]{3,12})\b"
)
_FOLLOW = (
    "I see. Can you tell me a little more about that?",
    "Thanks. And what if that does not work?",
    "All right. Is there anything else I should know?",
)


def asks_for_a_user(messages: list[dict[str, str]]) -> bool:
    """Whether the request is to speak as the person who talks with an assistant."""
    return bool(_PLAY.search("\n\n".join(m["content"] for m in messages)))


def spoken(messages: list[dict[str, str]], persona: Persona) -> str:
    """The person's next message: first what they want, then a question or two, then the end."""
    text = "\n\n".join(m["content"] for m in messages)
    told, _, talk = text.rpartition("onversation")
    said, heard = _SAID.findall(talk), _HEARD.findall(talk)
    paragraphs = [p.strip() for p in re.split(r"\n\s*\n", told) if p.strip()]
    about = next(
        (p for p in paragraphs if not _PLAY.search(p)), paragraphs[0] if paragraphs else ""
    )
    if not heard:
        wish = _WANTS.search(about)
        want = wish.group(1).strip() if wish else (sentences(about) or [about])[0].rstrip(".")
        question = re.match(
            r"(?:know|ask|hear|learn|find out)\s+((?:when|where|why|how|what|whether|if)\b.*)", want
        )
        if question:
            return f"Hello, can you tell me {question.group(1)}?"
        return f"Hello, I would like {'to ' if re.match(r'[a-z]+ ', want) else ''}{want}."
    stop = _STOP.search(text)
    # Two questions more at the most; a careful model ends sooner once it was answered.
    if stop and (
        len(said) > 2 or chance("done", persona.name, about, len(said)) > persona.forgets + 0.5
    ):
        return stop.group(1)
    return _FOLLOW[(len(said) - 1) % len(_FOLLOW)]
