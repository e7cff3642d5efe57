"""Whether an answer breaks off before its end, told by what cannot be an end."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass

# A sentence does not end in one of these: English, German, French, Spanish. Words that may end a
# sentence in one of the languages (the German separable "an", "auf", "mit") are left out.
ENGLISH_DANGLING = frozenset(
    "a an and as at because but by for from if in into is of on or that the their this to was "
    "were when which while who will with your".split()
)
DANGLING = ENGLISH_DANGLING | frozenset(
    "der den dem ein eine einen einem einer und oder weil dass wenn ist sind wird wurde zum zur "
    "vom im am für bei nach dessen deren "
    "le les un une des du et ou que qui dans pour avec sur par est sont au aux ce cette son sa ses "
    "mais "
    "el los las una unos unas del y o que para por con en es son al su sus como pero".split()
)
# Shorter answers (a label, a name, a subject line) need no full stop, nor does
# a closing line such as "Kind regards,".
_SHORTEST_PROSE = 12
_SHORTEST_LAST_LINE = 4
# The same where it stands on the last line of the letter with something before it.
_CLOSING = re.compile(
    r"(?:^|[.!?\n]\s*)(?:(?:with|many|all|mit|bien|un|con|best)\s+)?(?:[\w']+\s+){0,3}"
    r"(?:regards|wishes|thanks|sincerely|faithfully|truly|respectfully|greetings|grüßen|grüße|gruß|"
    r"cordialement|salutations|à vous|saludos?|atentamente|cordialmente),$",
    re.IGNORECASE,
)
_FENCE = re.compile(r"^\s*(```+|~~~+)", re.MULTILINE)
_MARKER_ONLY = re.compile(r"^\s*(?:[-*+•]|\d{1,3}[.)]|[a-z][.)])\s*(?:\*\*)?\s*$")
_ENDS = re.compile(r"[.!?:…。][\"'”»’)\]*_]*$")


@dataclass(frozen=True)
class BreakingOff:
    """That a text breaks off, and by what it was told. sure: it cannot be an end."""

    sure: bool
    why: str


def breaks_off(text: str, *, ended: bool = False) -> BreakingOff | None:
    """Whether an answer breaks off; None where it does not.

    ended: the server said that the model had ended by itself. Then a last word tells nothing, a
    last mark leaves no more than a doubt, and only a structure left open is sure. A missing full stop alone is
    no sign.
    """
    body = text.strip()
    if structure := _open_structure(body, ended):
        return structure
    words = body.split()
    last_line = body.rsplit("\n", 1)[-1].split()
    if not ended and (unfinished := _unfinished_list(body)):
        return unfinished
    if len(words) < _SHORTEST_PROSE or len(last_line) < _SHORTEST_LAST_LINE:
        return None
    if _CLOSING.search(body):
        return None
    if body[-1] in ",;(“‘„«":
        return BreakingOff(not ended, f"ends with “{body[-1]}”")
    if re.search(r"\w[-–]$", body):
        return BreakingOff(not ended, "ends within a word")
    if ended:
        return None
    if words[-1] in DANGLING:
        return BreakingOff(True, f"ends with “{words[-1]}”")
    if (
        (_sentences_end(body) or _one_long_sentence(body))
        and not _ENDS.search(body)
        and not _listed(body)
    ):
        return BreakingOff(False, f"its last sentence has no end: “… {' '.join(words[-4:])}”")
    return None


def _open_structure(body: str, ended: bool) -> BreakingOff | None:
    fences = _FENCE.findall(body)
    if len(fences) % 2:
        inside = body[body.rfind(fences[-1]) :].split("\n", 1)[-1].strip()
        broken = inside[:1] in ("{", "[") and _open_brackets(inside)
        # Whole content whose closing fence was forgotten is an answer, if an untidy one.
        return BreakingOff(not ended or broken, "a fenced block is left open")
    if body[:1] in ("{", "[") and not fences and _open_brackets(body):
        return BreakingOff(True, "the JSON is not closed")
    lines = body.split("\n")
    if _MARKER_ONLY.match(lines[-1]) and len(lines) > 1:
        return BreakingOff(not ended, f"the last item of a list is empty: “{lines[-1].strip()}”")
    if len(lines) > 2 and lines[-1].lstrip().startswith("|"):
        cells = [
            line.strip().strip("|").count("|") for line in lines if line.strip().startswith("|")
        ]
        closed = lines[-1].rstrip().endswith("|")
        if len(cells) > 2 and (cells[-1] < cells[0] or (not closed and _all_closed(lines[:-1]))):
            return BreakingOff(not ended, "the last row of a table is not whole")
    if not body.startswith("<"):
        return None
    opened = re.search(r"<([a-z][\w-]*)>(?!.*</\1>)[^<]*$", body, re.S | re.I)
    if opened and opened[1].lower() not in ("br", "hr", "p", "li"):
        return BreakingOff(not ended, f"<{opened[1]}> is not closed")
    return None


_COUNTS = {w: n for n, w in enumerate("two three four five six seven eight nine ten".split(), 2)}
_COUNTS |= {
    w: n for n, w in enumerate("zwei drei vier fünf sechs sieben acht neun zehn".split(), 2)
}
_COUNTS |= {w: n for n, w in enumerate("deux trois quatre cinq six sept huit neuf dix".split(), 2)}
_COUNTS |= {
    w: n for n, w in enumerate("dos tres cuatro cinco seis siete ocho nueve diez".split(), 2)
}


def _unfinished_list(body: str) -> BreakingOff | None:
    """A list whose last item has no end, or of fewer items than it says it has."""
    items = re.findall(r"^[ \t]*(?:[-*+•]|\d{1,3}[.)])[ \t]+(\S.*)$", body, re.M)
    if len(items) < 2 or not _listed(body):
        return None
    last = items[-1].split()
    if len(last) > 1 and last[-1] in DANGLING:
        return BreakingOff(True, f"the last item of a list ends with “{last[-1]}”")
    first = body.split("\n", 1)[0]
    counts = [_COUNTS.get(w, 0) or (int(w) if w.isdigit() else 0) for w in first.lower().split()]
    said = max(counts, default=0) if first.rstrip().endswith(":") else 0
    if len(items) < said <= 20:
        return BreakingOff(False, f"it announces {said} items and has {len(items)}")
    return None


def _one_long_sentence(body: str) -> bool:
    """Whether the text is one sentence, too long for a headline, without an end."""
    return "\n" not in body and len(body.split()) >= 15 and body[:1].isupper()


def _all_closed(lines: list[str]) -> bool:
    return all(x.rstrip().endswith("|") for x in lines if x.lstrip().startswith("|"))


def _open_brackets(text: str) -> bool:
    """Whether a text that begins like JSON ends with brackets still open."""
    try:
        json.loads(text)
    except (ValueError, RecursionError):
        bare = re.sub(r'"(?:[^"\\]|\\.)*("|$)', "", text, flags=re.DOTALL)
        return bare.count("{") + bare.count("[") > bare.count("}") + bare.count("]")
    return False


def _sentences_end(body: str) -> bool:
    """Whether the text is prose whose other sentences are all closed."""
    parts = re.split(r"(?<=[.!?])\s+", body.rsplit("\n", 1)[-1] if "\n" in body else body)
    return (
        len(parts) >= 2 and all(_ENDS.search(p) for p in parts[:-1]) and len(parts[-1].split()) >= 3
    )


def _listed(body: str) -> bool:
    last = body.rsplit("\n", 1)[-1]
    return bool(re.match(r"\s*(?:[-*+•#>|]|\d{1,3}[.)])", last))
