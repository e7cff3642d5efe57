"""Texts that are like some given ones, among many: more of a kind of which there are few."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy import sparse

from nomikon.core.cases.near import near_duplicates
from nomikon.core.texts.words import folded, words_in

# What a word of the wanted texts weighs for a text, and what one of the others against it.
FOR, AGAINST = 0.75, 0.15
# So much of a text is looked at.
LONGEST = 5_000


def most_alike(
    wanted: Sequence[str], others: Sequence[str], among: Sequence[str], most: int
) -> list[tuple[int, float]]:
    """Positions in `among` of the texts most like `wanted` and unlike `others`, with their likeness.

    Likeness from 0 to 1: the cosine of tf-idf vectors with a query made by Rocchio's formula
    (Rocchio 1971, in Salton: The SMART Retrieval System, ch. 14). None that is a near-copy of a text
    there is already, nor one without a word in common.
    """
    if not wanted or not among:
        return []
    texts = [*wanted, *others, *among]
    matrix = _tf_idf(texts)
    own, rest = len(wanted), len(wanted) + len(others)
    query = FOR * np.asarray(matrix[:own].mean(axis=0)).ravel()
    if others:
        query -= AGAINST * np.asarray(matrix[own:rest].mean(axis=0)).ravel()
    query = np.maximum(query, 0.0)
    size = float(np.linalg.norm(query))
    if size == 0:
        return []
    likeness = np.asarray(matrix[rest:] @ query).ravel() / size
    order = np.argsort(-likeness, kind="stable")[: 3 * most]
    found = [int(i) for i in order if likeness[i] > 0]
    # Only those few are held against what there is: comparing all would take minutes.
    known = [*wanted, *others]
    pairs = near_duplicates([*known, *(among[i] for i in found)])
    copies = {p.b - len(known) for p in pairs if p.b >= len(known)}
    kept = [i for place, i in enumerate(found) if place not in copies]
    return [(i, float(likeness[i])) for i in kept[:most]]


def _tf_idf(texts: Sequence[str]) -> sparse.csr_matrix:
    """Rows of length 1: counts of words, damped, by how rare each is."""
    places: dict[str, int] = {}
    rows: list[int] = []
    columns: list[int] = []
    for i, text in enumerate(texts):
        for word in words_in(folded(text[:LONGEST], ignore_case=True)):
            rows.append(i)
            columns.append(places.setdefault(word, len(places)))
    counts = sparse.csr_matrix(
        (np.ones(len(rows)), (rows, columns)), shape=(len(texts), max(1, len(places)))
    )
    counts.sum_duplicates()
    counts.data = 1 + np.log(counts.data)
    in_texts = np.bincount(counts.indices, minlength=counts.shape[1])
    counts = counts @ sparse.diags_array(np.log((1 + len(texts)) / (1 + in_texts)) + 1)
    sizes = np.sqrt(np.asarray(counts.multiply(counts).sum(axis=1)).ravel())
    return sparse.csr_matrix(sparse.diags_array(1 / np.maximum(sizes, 1e-12)) @ counts)
