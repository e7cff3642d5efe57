"""Playing the judge: a rubric and an answer become levels with reasons, two answers a choice."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass

from nomikon_standin.models import Persona
from nomikon_standin.sampling import Dice
from nomikon_standin.words import associated, chance, sentences, stems, words

_JUDGE = re.compile(
    r"\b(?:judge|grade|assess|evaluate|mark|rate|score|review|appraise)\b[^.\n]{0,120}"
    r"\b(?:rubric|criteri\w+|scales?|levels?|standard)\b",
    re.I,
)
_PAIR = re.compile(
    r"\b(?:compare|which of|choose between|decide between|say which)\b[^.\n]{0,80}"
    r"\b(?:answers?|replies|responses?|texts?|versions?|outputs?|better)\b",
    re.I,
)
_LEVEL = re.compile(
    r"^\s*(?:[-*•]\s*)?(?:level|score|grade|points?|mark|step)?\s*\(?(\d{1,2})\)?\s*"
    r"(?:[:=)–-]|means\b)\s*(\S.*)$",
    re.I,
)
_NAME = re.compile(
    r"^\s*(?:[-*•#]+\s*)?(?:criterion|dimension|aspect|quality)?\s*(?:\d+[.)]\s*)?"
    r"[\"“*]*([^\"“”:*\n]{1,60}?)[\"”*]*\s*(?:[:(–-]\s*(.*))?$",
    re.I,
)
_BLOCK = re.compile(
    r"(?P<label>[^\n]*)\n[ \t]*(?:<<<[ \t]*\n(?P<a>.*?)\n?[ \t]*>>>"
    r"|(?P<fence>`{3,}|\"{3}|-{3,}|={3,})[^\n]*\n(?P<b>.*?)\n(?P=fence)"
    r"|<(?P<tag>[A-Za-z][\w-]*)>\s*(?P<c>.*?)\s*</(?P=tag)>)",
    re.S,
)
_ANSWER = re.compile(r"\b(?:answer|reply|response|output|candidate|text|letter)\b", re.I)
_KNOWN_RIGHT = re.compile(r"\b(?:right|reference|ideal|model|expected|gold|correct)\b", re.I)

_KIND = re.compile(
    r"\b(?:sorry|apolog\w+|thank\w*|please|regret|understand\w*|appreciate|kind|glad|welcome)\b",
    re.I,
)
_HARSH = re.compile(
    r"\b(?:your (?:own )?fault|should have|calm down|you (?:must|failed)|not our|nonsense|"
    r"ridiculous|whatever)\b|!{2,}",
    re.I,
)
_MONEY = re.compile(
    r"\b(?:refund\w*|compensat\w+|reimburs\w+|voucher\w*|money back|discount|pay you|free)\b|[£$€]",
    re.I,
)
_DOING = re.compile(
    r"\b(?:please|you can|call|contact|use|take|go to|board|ask|write to|bring|wait|check|within|"
    r"will be|we have)\b",
    re.I,
)


@dataclass(frozen=True)
class Asked:
    """One criterion as the request words it."""

    name: str
    asks: str
    levels: list[tuple[int, str]]


_PARTS = re.compile(
    r"\b(?:check|verify|rule|say|decide|judge)\b[^.\n]{0,120}\b(?:parts?|facts?|claims?|statements?)\b",
    re.I,
)
_PART = re.compile(r"^\s*(\d{1,2})[.)]\s+(\S.*)$", re.M)


def asks_about_parts(messages: list[dict[str, str]]) -> bool:
    """Whether the request is to say of numbered parts of an answer whether its input holds them."""
    text = _joined(messages)
    return bool(_PARTS.search(_outside(text)) and any(_PART.search(b) for b in _blocks(text)[1:]))


def ruled(messages: list[dict[str, str]], persona: Persona, dice: Dice) -> str:
    """A ruling on every part: held where its words and digits stand in what was given."""
    text = _joined(messages)
    given, *others = _blocks(text)
    parts = next(b for b in others if _PART.search(b))
    known = set(words(given)) | set(re.findall(r"\d+", given))
    rows = []
    for number, part in _PART.findall(parts):
        own = set(words(part)) | set(re.findall(r"\d+", part))
        missing = sorted(own - known)
        held = not missing
        # A weaker reader errs now and then, either way.
        if dice.roll("part", number, part) < persona.blur * 0.1:
            held = not held
        reason = f"it says {part}" if held else f"{', '.join(missing) or part} is not there"
        rows.append(
            {"number": int(number), "held": "held" if held else "not held", "reason": reason}
        )
    return json.dumps({"facts": rows})


def _blocks(text: str) -> list[str]:
    return [m.group("a") or m.group("b") or m.group("c") or "" for m in _BLOCK.finditer(text)]


def asks_for_judgement(messages: list[dict[str, str]]) -> bool:
    """Whether the request is to judge an answer by described levels, or to compare two."""
    text = _outside(_joined(messages))
    return bool(
        (_JUDGE.search(text) and criteria_in(text)) or (_PAIR.search(text) and _two(messages))
    )


def judged(messages: list[dict[str, str]], persona: Persona, dice: Dice) -> str:
    """The judgement, in the JSON the request describes."""
    text = _joined(messages)
    criteria = criteria_in(_outside(text))
    if criteria and _JUDGE.search(_outside(text)):
        return _by_rubric(text, criteria, persona, dice)
    return _by_pair(messages, persona, dice)


def _joined(messages: list[dict[str, str]]) -> str:
    return "\n\n".join(m["content"] for m in messages)


def _outside(text: str) -> str:
    """The request without the material it sets apart."""
    return _BLOCK.sub(lambda m: m.group("label") + "\n", text)


def criteria_in(text: str) -> list[Asked]:
    """Criteria: a line with a name, and numbered levels below it."""
    found: list[Asked] = []
    header = ""
    for line in text.split("\n"):
        level = _LEVEL.match(line)
        if level and header:
            name = _NAME.match(header)
            if name and not (found and found[-1].asks == header and found[-1].levels):
                found.append(Asked(name.group(1).strip(), header, []))
            if found:
                found[-1].levels.append((int(level.group(1)), level.group(2).strip()))
        elif line.strip():
            header = line.strip()
    return [c for c in found if len(c.levels) >= 2]


def _material(text: str) -> tuple[str, str]:
    """What the answer was given, and the answer to be judged."""
    given, answer = "", ""
    for block in _BLOCK.finditer(text):
        inner = block.group("a") or block.group("b") or block.group("c") or ""
        label = block.group("label") + (block.group("tag") or "")
        if _KNOWN_RIGHT.search(label):
            continue
        if (
            _ANSWER.search(label)
            and re.search(r"judg|grade|assess|mark|answer|reply|output", label, re.I)
            and not re.search(r"\bgiven\b|\bquestion\b|\binput\b", label, re.I)
        ):
            answer = inner
        else:
            given = given or inner
    if not answer:
        last = re.findall(
            r"(?:answer|reply|response|output)[^:\n]{0,40}:\s*(.+)", text, re.I | re.S
        )
        answer = last[-1] if last else text.split("\n\n")[-1]
    return given, answer.strip()


def _by_rubric(text: str, criteria: list[Asked], persona: Persona, dice: Dice) -> str:
    given, answer = _material(text)
    level_key, reason_key = _keys(text)
    if persona.knowledge < 0.6 and chance("judges in prose", persona.name, answer) < 0.08:
        return "On the whole I find this answer acceptable, though it could be better in places."
    rows: dict[str, dict[str, object]] = {}
    for criterion in criteria:
        share, cited = _share(criterion, given, answer, persona)
        share += persona.blur * 0.12 * (chance("judge", persona.name, answer, criterion.name) - 0.5)
        # A talkative model takes length for merit, whatever it is told.
        share += persona.chatter * 0.12 * min(1.0, len(answer) / 900)
        numbers = [n for n, _ in criterion.levels]
        points = [
            -6 * abs(place / (len(numbers) - 1) - min(1.0, max(0.0, share)))
            for place in range(len(numbers))
        ]
        level = dice.pick(numbers, points, salt=criterion.name)
        rows[criterion.name] = {level_key: level, reason_key: cited}
    if re.search(r"\b(?:list|array) of\b[^.\n]{0,40}(?:object|criteri)", text, re.I):
        return json.dumps([{"criterion": n, **row} for n, row in rows.items()], ensure_ascii=False)
    return json.dumps(rows, ensure_ascii=False)


def _keys(text: str) -> tuple[str, str]:
    """Names of the number's and the reason's keys, as the request quotes them."""
    quoted = re.findall(r"[\"“`]([\w-]{2,20})[\"”`]", text)
    number = next(
        (
            q
            for q in reversed(quoted)
            if re.search(r"level|score|grade|rating|mark|points", q, re.I)
        ),
        "level",
    )
    reason = next(
        (
            q
            for q in reversed(quoted)
            if re.search(r"reason|why|explan|comment|ration|note", q, re.I)
        ),
        "reason",
    )
    return number, reason


def _share(criterion: Asked, given: str, answer: str, persona: Persona) -> tuple[float, str]:
    """How far an answer meets a criterion, from 0 to 1, and the words that decided it."""
    about = f"{criterion.asks} {criterion.levels[-1][1]}"
    all_of_it = f"{about} {' '.join(text for _, text in criterion.levels)}"
    if re.search(r"\b(?:promis\w+|money|refund\w*|compensat\w+|pay\w*)\b", about, re.I):
        found = _MONEY.search(answer)
        return (0.0, f"It speaks of “{found.group(0)}”.") if found else (1.0, "It offers no money.")
    if re.search(
        r"\b(?:paragraphs?|sentences?|words?|short\w*|brief|concise|length|long)\b", about, re.I
    ):
        return _length_share(all_of_it, answer)
    if re.search(
        r"\b(?:tone|calm|kind\w*|warm\w*|polite\w*|friendl\w+|courte\w+|empath\w+|apolog\w+|sorry|respect\w*)\b",
        all_of_it,
        re.I,
    ):
        kind, harsh = _KIND.findall(answer), _HARSH.search(answer)
        if harsh:
            return 0.0, f"“{harsh.group(0)}” is harsh."
        cited = f"It says “{_sentence_with(answer, kind[0])}”." if kind else "It has no kind word."
        return min(1.0, 0.15 + 0.3 * len(kind)), cited
    if re.search(
        r"\b(?:invent\w*|accura\w+|faithful\w*|true|correct\w*|facts?|made up|wrong)\b",
        all_of_it,
        re.I,
    ):
        return _fact_share(given, answer)
    if re.search(
        r"\b(?:what to do|next step|action|advice|instruct\w*|help\w*|useful)\b", all_of_it, re.I
    ):
        found = _DOING.search(answer)
        return (
            (0.9, f"“{_sentence_with(answer, found.group(0))}” says what to do.")
            if found
            else (0.1, "It does not say what to do.")
        )
    if re.search(
        r"\b(?:plain\w*|clear\w*|simpl\w+|jargon|easy|readab\w+)\b",
        f"{criterion.name} {criterion.asks}",
        re.I,
    ):
        own = words(answer)
        mean = sum(map(len, own)) / max(1, len(own))
        return min(
            1.0, max(0.0, (6.4 - mean) / 2)
        ), f"Its words have {mean:.1f} letters on average."
    return _topic_share(about, given, answer, persona)


def _length_share(about: str, answer: str) -> tuple[float, str]:
    counts = {
        "paragraph": len([p for p in re.split(r"\n[ \t]*\n", answer) if p.strip()]),
        "sentence": len(sentences(answer)),
        "word": len(words(answer)),
    }
    numbers = {"one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6}
    for unit, count in counts.items():
        if m := re.search(rf"\b(\d+|{'|'.join(numbers)})\b[^.\d]{{0,20}}\b{unit}s?\b", about, re.I):
            wanted = numbers.get(m.group(1).lower()) or int(m.group(1))
            off = abs(count - wanted) / max(1, wanted)
            most = re.search(r"\b(?:at most|no more than|under|fewer|up to|within)\b", about, re.I)
            good = count <= wanted if most else off == 0
            return (1.0 if good else max(0.0, 0.7 - off)), f"It has {count} {unit}s."
    n = counts["word"]
    return max(0.0, min(1.0, (260 - n) / 180)), f"It has {n} words."


def _fact_share(given: str, answer: str) -> tuple[float, str]:
    facts = re.findall(r"\d+(?:[:.]\d+)?|(?<![.!?\n] )(?<!^)\b[A-Z][a-z]{2,}", answer)
    odd = [f for f in facts if f not in given]
    if not facts:
        return 0.6, "It states no number or name."
    cited = f"“{odd[0]}” is not in what it was given." if odd else "Every number and name is given."
    return 1 - len(odd) / len(facts), cited


def _topic_share(about: str, given: str, answer: str, persona: Persona) -> tuple[float, str]:
    """Nothing more particular is asked: whether the answer speaks of what the criterion names."""
    wanted, have = set(stems(about)), set(stems(answer))
    near = set(wanted)
    for word in wanted:
        near |= associated(word, persona.name, persona.knowledge)
    hit = near & have
    taken_up = len(set(stems(given)) & have) / max(1, len(set(stems(given))))
    share = min(1.0, 0.25 * len(hit) + taken_up)
    named = next((w for w in words(answer) if set(stems(w)) & hit), "")
    cited = f"It says “{_sentence_with(answer, named)}”." if named else "It says little of this."
    return share, cited


def _sentence_with(answer: str, word: str) -> str:
    found = next((s for s in sentences(answer) if word.lower() in s.lower()), answer)
    return " ".join(found.split())[:90].rstrip(".!?")


def _two(messages: list[dict[str, str]]) -> list[tuple[str, str]]:
    """The two texts to be compared, each with what its label calls it."""
    found = []
    for block in _BLOCK.finditer(_joined(messages)):
        label = (block.group("label") + (block.group("tag") or "")).lower()
        inner = block.group("a") or block.group("b") or block.group("c") or ""
        name = re.search(r"\b(first|second|a|b|1|2|one|two|left|right)\b", label)
        if name and re.search(r"answer|reply|response|text|version|output|candidate", label):
            found.append((name.group(1), inner))
    return found[:2] if len(found) >= 2 else []


def _by_pair(messages: list[dict[str, str]], persona: Persona, dice: Dice) -> str:
    text = _joined(messages)
    (name_a, a), (name_b, b) = _two(messages)
    outside = _outside(text)
    wanted = re.search(
        r"(?:what counts|better when|better means|by)\s*:?\s*([^\n]+)", outside, re.I
    )
    asks = wanted.group(1) if wanted else outside
    given = next(
        (m.group("a") or m.group("b") or m.group("c") or "" for m in _BLOCK.finditer(text)), ""
    )
    criterion = Asked("better", asks, [(1, ""), (2, "")])
    shares = [_share(criterion, given, t, persona) for t in (a, b)]
    # What stands first has a small start, the more so the less careful the model.
    lead = shares[0][0] - shares[1][0] + persona.blur * 0.06
    lead += persona.chatter * 0.1 * (len(a) - len(b)) / max(1, len(a) + len(b))
    quoted = re.findall(r"[\"“`]([\w ]{1,20})[\"”`]", outside)
    tie = next((q for q in quoted if re.search(r"neither|tie|equal|same|both", q, re.I)), "neither")
    key = next(
        (q for q in quoted if re.search(r"better|winner|choice|prefer|best", q, re.I)), "better"
    )
    _, reason_key = _keys(outside)
    better = dice.pick([name_a, name_b, tie], [6 * lead, -6 * lead, 0.25], salt="pair")
    cited = shares[0][1] if better == name_a else shares[1][1]
    return json.dumps({key: better, reason_key: cited}, ensure_ascii=False)
