"""Prompts with their clause borders marked by ¦, written before the parser: what stands between two
marks, without blanks at its ends, is one clause; § before it says that it is layout and no clause.
"""


def without_marks(marked: str) -> tuple[str, set[tuple[int, int]]]:
    """The text as it is read, and the places of its clauses."""
    text, spans = "", set()
    for part in marked.split("¦"):
        cut = part[1:] if text.endswith(" ") and part.startswith(" ") else part
        start = len(text)
        text += cut
        bare = cut.strip()
        if bare:
            begin = start + len(cut) - len(cut.lstrip())
            spans.add((begin, begin + len(bare)))
    return text, spans
