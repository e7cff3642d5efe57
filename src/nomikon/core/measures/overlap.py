"""Overlap with a reference: ROUGE, chrF, BLEU, edit similarity, TF-IDF cosine.

The figures are those of the libraries named in each class. They are read when
a measure is made: reading them takes a second, which a scorecard without them saves.
"""

from __future__ import annotations

import math
import re
from collections import Counter
from typing import Any

from nomikon.core.measures.base import NO_REFERENCE, Answer, Measure, Score, only_known
from nomikon.core.measures.declared import CHOICE, Parameter
from nomikon.core.measures.parameters import given
from nomikon.core.texts.words import stands_alone, words_in


class _Overlap(Measure):
    needs_reference = True

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)

    def score(self, answer: Answer) -> Score:
        if answer.reference is None:
            return NO_REFERENCE
        value, why = self._compare(answer.output, answer.reference)
        return Score(min(1.0, max(0.0, value)), why)

    def _compare(self, output: str, reference: str) -> tuple[float, str]:
        raise NotImplementedError


# Words as the reference implementation of ROUGE takes them: runs of ASCII letters and digits.
_ROUGE_WORD = re.compile(r"[a-z0-9]+")


class _Rouge(_Overlap):
    """Held in the tests to the reference implementation, which has had no release for years."""

    parameters = {
        "words": Parameter(
            "published: runs of Latin letters and digits, as the figures in papers have them; "
            "any-script: words of every script, characters where a script parts no words",
            CHOICE,
            ("published", "any-script"),
        )
    }

    def __init__(self, **parameters: Any) -> None:
        super().__init__(**parameters)
        self.published = given(self, parameters, "words") == "published"

    def score(self, answer: Answer) -> Score:
        if answer.reference is not None and not self._words(answer.reference):
            return Score(None, _no_words(answer.reference, self.published))
        return super().score(answer)

    def _words(self, text: str) -> list[str]:
        return _ROUGE_WORD.findall(text.lower()) if self.published else words_in(text)

    def _compare(self, output: str, reference: str) -> tuple[float, str]:
        found, wanted = self._words(output), self._words(reference)
        common, of_found, of_wanted = self._common(found, wanted)
        precision, recall = common / max(of_found, 1), common / max(of_wanted, 1)
        f1 = 2 * precision * recall / (precision + recall) if common else 0.0
        return f1, f"precision {precision:.2f}, recall {recall:.2f}"

    def _common(self, found: list[str], wanted: list[str]) -> tuple[int, int, int]:
        """How much is common, and how much there is in each."""
        raise NotImplementedError


def _no_words(reference: str, published: bool) -> str:
    if published and words_in(reference):
        return (
            "the reference has no Latin letters, which are all that ROUGE as published counts: "
            "choose words of any script"
        )
    return "the reference has no words"


class _RougeRuns(_Rouge):
    length = 1

    def _common(self, found: list[str], wanted: list[str]) -> tuple[int, int, int]:
        a, b = (
            Counter(zip(*(words[i:] for i in range(self.length)), strict=False))
            for words in (found, wanted)
        )
        return (a & b).total(), a.total(), b.total()


class Rouge1(_RougeRuns):
    """F1 of common words (unstemmed). Lin 2004."""

    name = "rouge-1"
    description = "Common words with the reference: ROUGE-1 F1, unstemmed."
    worked = ({}, "the cat sat", "the cat lay", 2 / 3)


class Rouge2(_RougeRuns):
    """F1 of common pairs of words (unstemmed). Lin 2004."""

    name = "rouge-2"
    description = "Common pairs of words with the reference: ROUGE-2 F1, unstemmed."
    length = 2
    worked = ({}, "the cat sat", "the cat lay", 0.5)


class RougeL(_Rouge):
    """F1 of the longest common sequence of words (unstemmed; rapidfuzz). Lin 2004."""

    name = "rouge-l"
    description = "Longest common sequence of words: ROUGE-L F1, unstemmed."
    worked = ({}, "the cat sat here", "the old cat here", 0.75)

    def __init__(self, **parameters: Any) -> None:
        super().__init__(**parameters)
        from rapidfuzz.distance import LCSseq

        self._common_length = LCSseq.similarity

    def _common(self, found: list[str], wanted: list[str]) -> tuple[int, int, int]:
        return int(self._common_length(found, wanted)), len(found), len(wanted)


class Chrf(_Overlap):
    """chrF of the sentence divided by 100 (sacrebleu's defaults). Popović 2015."""

    name = "chrf"
    description = "Common runs of characters: sentence chrF (sacrebleu's defaults) over 100."
    worked = ({}, "the same", "the same", 1.0)

    def __init__(self, **parameters: Any) -> None:
        super().__init__(**parameters)
        from sacrebleu import sentence_chrf

        self._score = sentence_chrf

    def _compare(self, output: str, reference: str) -> tuple[float, str]:
        value = float(self._score(output, [reference]).score)
        return value / 100, f"chrF {value:.1f}"


class Bleu(_Overlap):
    """BLEU of the sentence divided by 100 (sacrebleu's sentence defaults). Papineni et al. 2002."""

    name = "bleu"
    description = "Common runs of up to four words: sentence BLEU (sacrebleu's defaults) over 100."
    parameters = {
        "words": Parameter(
            "how words are told, by sacrebleu's names: 13a (the default), intl (every script that "
            "parts words), zh (Chinese), char (every character)",
            CHOICE,
            ("13a", "intl", "zh", "char"),
        )
    }
    worked = ({}, "the very same words", "the very same words", 1.0)

    def __init__(self, **parameters: Any) -> None:
        super().__init__(**parameters)
        from sacrebleu import sentence_bleu

        self._score = sentence_bleu
        self._words = given(self, parameters, "words")

    def _compare(self, output: str, reference: str) -> tuple[float, str]:
        value = float(self._score(output, [reference], tokenize=self._words).score)
        return value / 100, f"BLEU {value:.1f}"


class EditSimilarity(_Overlap):
    """1 − Levenshtein distance ÷ the longer length (rapidfuzz)."""

    name = "edit-similarity"
    description = "How few characters must change to get the reference (Levenshtein)."
    worked = ({}, "kitten", "sitting", 1 - 3 / 7)

    def __init__(self, **parameters: Any) -> None:
        super().__init__(**parameters)
        from rapidfuzz.distance import Levenshtein

        self._distance = Levenshtein.distance

    def _compare(self, output: str, reference: str) -> tuple[float, str]:
        length = max(len(output), len(reference))
        distance = int(self._distance(output, reference))
        return (1 - distance / length if length else 1.0), f"{distance} changes in {length}"


class TfIdfCosine(_Overlap):
    """Cosine of the two texts' TF-IDF vectors, the two texts being the collection.

    Smoothed as is common: idf = ln((1 + 2) ÷ (1 + df)) + 1, vectors of length 1;
    words of two characters and more, lower case; in scripts that part no words every character.
    """

    name = "tfidf-cosine"
    description = "Likeness of the words used, those in only one of the texts weighing more."
    worked = ({}, "late vessel", "late vessel", 1.0)

    def score(self, answer: Answer) -> Score:
        if answer.reference is not None and not words_in(answer.reference):
            return Score(None, "the reference has no words")
        return super().score(answer)

    def _compare(self, output: str, reference: str) -> tuple[float, str]:
        a, b = (
            Counter(w for w in words_in(t) if len(w) > 1 or stands_alone(w))
            for t in (output, reference)
        )
        if not a or not b:
            return 0.0, "one of the two has no words to compare"

        def weighted(own: Counter[str], other: Counter[str]) -> dict[str, float]:
            vector = {w: n * (math.log(3 / (2 + (w in other))) + 1) for w, n in own.items()}
            length = math.sqrt(math.fsum(v * v for v in vector.values()))
            return {w: v / length for w, v in vector.items()}

        x, y = weighted(a, b), weighted(b, a)
        common = x.keys() & y.keys()
        value = 1.0 if x == y else math.fsum(x[w] * y[w] for w in sorted(common))
        return value, f"{len(common)} common words of {len(x.keys() | y.keys())}"
