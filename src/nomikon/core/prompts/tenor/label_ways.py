"""The further ways in which prompts list the labels that an answer may be, beside a word for them and a colon."""

from __future__ import annotations

import regex

from nomikon.core.prompts.tenor.lexicon import Lexicon

A_QUOTED = r"(?:\"[^\"\n]{1,40}\"|“[^”\n]{1,40}”|„[^“”\n]{1,40}[“”]|«\s?[^»\n]{1,40}\s?»|»[^«\n]{1,40}«|`[^`\n]{1,40}`|'[^'\n]{1,40}')"
QUOTED = regex.compile(A_QUOTED)


def made(text: str) -> regex.Pattern[str]:
    """A pattern to which capitals do not matter."""
    return regex.compile(text, regex.IGNORECASE)


class Ways:
    """Patterns of one language; those with a list have it in the group `list`."""

    def __init__(self, words: Lexicon) -> None:
        self._by_sign(words)
        self._one_by_one(words)
        self._loosely(words)

    def _by_sign(self, words: Lexicon) -> None:
        # After what labels are called, in brackets: three, or two that are told apart by "or".
        self.bracketed = made(
            rf"(?<!\w)(?:{words.labels}|{words.one_of}|out of)\b[^:\n.(\[{{]{{0,60}}[(\[{{](?!\{{)"
            rf"(?P<list>[^()\[\]{{}}\n]+?(?:(?:,|/|\|)[^()\[\]{{}}\n]+?(?:,|/|\|)|\s(?:{words.either_or})\s)"
            rf"[^()\[\]{{}}\n]+)[)\]}}]"
        )
        # Single words in brackets after what is to be chosen.
        self.chosen = made(
            rf"(?<!\w)(?:{words.sort_verbs})\b[^.:\n(]{{0,80}}\((?P<list>[\w-]+(?:,\s(?:(?:{words.either_or})\s)?[\w-]+){{2,}})\)"
        )
        # "Answer true or false."
        self.plainly = made(
            rf"(?<!\w)(?:{words.answer})\s+(?:with\s+|mit\s+|par\s+|con\s+)?"
            rf"(?P<list>[\w-]+(?:,\s[\w-]+)*,?\s(?:{words.either_or})\s[\w-]+)\W*$"
        )
        capitals = r"(?-i:\p{Lu}[\p{Lu}\d_-]+)"
        self.in_capitals = made(
            rf"(?<!\w)(?:{words.reply})\s+(?P<list>{capitals}(?:,\s{capitals})*,?\s(?:{words.either_or})\s{capitals})"
        )
        # "The only grades are A, B and C."
        self.all_there_is = made(
            rf"(?<!\w)(?:{words.only}|possible|valid|allowed|einzigen|möglichen|seule?s|únic[ao]s|posibles)\s+[\w-]+\s+"
            rf"(?:are|sind|sont|son)\s+(?P<list>[\w-]+(?:,\s[\w-]+)*,?\s(?:and|und|et|y|{words.either_or})\s[\w-]+)"
        )
        self.piped = made(r":[ \t]*(?P<list>[^|.:\n]{1,30}(?:\s?\|\s?[^|.:\n]{1,30}){2,})")
        # A line that is nothing else: yes/no/partly.
        self.slashed = made(r"^\W*(?P<list>[\w-]+(?:\s?/\s?[\w-]+)+)\W*$")
        # Between dashes, in a clause that asks for one.
        self.dashed = made(
            rf"(?<!\w)(?:{words.sort_verbs})\b[^.:\n]{{0,90}}?\s[-–—]\s"
            # With an article they are things, and no labels.
            rf"(?!(?:an?|the|ein\w*|der|die|das|une?|les?|la|una|el|los|las)\s)(?:(?:{words.reply})\s)?"
            rf"(?P<list>[^.:\n–—]{{1,100}}?(?:,|\s)\s?(?:{words.either_or})\s+[^.\n,–—]{{1,30}}?)(?=\s[-–—]\s|[.,]|$)"
        )

    def _one_by_one(self, words: Lexicon) -> None:
        # "YES if …, NO if …": written in capitals or quoted.
        self.provided = made(
            rf"(?<![\w\"“„«`'])(?P<name>{A_QUOTED}|(?-i:\p{{Lu}}[\p{{Lu}}\d_-]+(?:\s\p{{Lu}}{{2,}})?))\s+"
            rf"(?:{words.provided})\b"
        )

    def _loosely(self, words: Lexicon) -> None:
        # Only where the prompt says that one word, or nothing else, is the answer.
        self.loose = made(
            rf"(?::[ \t]*|(?:^|[:.]\s)[^.:?\n]{{0,80}}?\s)(?P<list>(?:[\w-]+,\s)*[\w-]+,?\s(?:{words.either_or})\s"
            rf"[\w-]+)(?=\s?[.?!]|\s*$)"
            rf"|(?:^|[:?]\s*)(?P<list>[\w-]+(?:\s[\w-]+)?(?:\s*/\s*[\w-]+(?:\s[\w-]+)?)+)(?=\s*[.?!]?\s*$)"
        )
        # The answer is one word, or nothing but a label.
        self.alone = made(
            rf"(?<!\w)(?:{words.one_word}|(?:{words.only})\b[^.\n]{{0,25}}\b(?:{words.labels})"
            rf"|(?:{words.labels})\b[^.\n]{{0,25}}\b(?:{words.only}))\b"
        )
        self.explaining = made(rf"(?<!\w)(?:{words.explaining})\b")
