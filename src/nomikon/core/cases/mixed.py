"""Text of two encodings: UTF-8, and what is no UTF-8 as cp1252 has it; a codec like any other.

Files that two programs wrote into, or that were put together, are like that. The codec stands under
MIXED for `bytes.decode` and whatever opens a file by an encoding's name.
"""

from __future__ import annotations

import codecs
from typing import BinaryIO

MIXED = "utf-8-or-cp1252"
_ERRORS = "nomikon-cp1252"
# Lines that are named; the others are counted.
LINES_NAMED = 5


def _as_cp1252(error: UnicodeError) -> tuple[str, int]:
    assert isinstance(error, UnicodeDecodeError)
    wrong = error.object[error.start : error.end]
    return "".join(_one(bytes([b])) for b in wrong), error.end


def _one(byte: bytes) -> str:
    """Five bytes mean nothing in cp1252: they stay the number they are."""
    try:
        return byte.decode("cp1252")
    except UnicodeDecodeError:
        return byte.decode("latin-1")


class _Decoder(codecs.BufferedIncrementalDecoder):
    def _buffer_decode(self, data: bytes, errors: str, final: bool) -> tuple[str, int]:  # type: ignore[override]
        return codecs.utf_8_decode(data, _ERRORS, final)


def _found(name: str) -> codecs.CodecInfo | None:
    if name.replace("_", "-") != MIXED:
        return None
    return codecs.CodecInfo(
        codecs.utf_8_encode,
        lambda data, errors="strict": codecs.utf_8_decode(data, _ERRORS, True),
        incrementalencoder=codecs.getincrementalencoder("utf-8"),
        incrementaldecoder=_Decoder,
        name=MIXED,
    )


codecs.register_error(_ERRORS, _as_cp1252)
codecs.register(_found)


def mixed_lines(file: BinaryIO) -> list[int] | None:
    """Lines that are no UTF-8 of a file in which others show that it is; None where it is of one kind."""
    file.seek(0)
    good, bad = 0, []
    for number, line in enumerate(file, 1):
        if line.isascii():
            continue
        try:
            line.decode("utf-8")
        except UnicodeDecodeError:
            bad.append(number)
        else:
            good += 1
    # Of another encoding a line is UTF-8 by a rare accident alone.
    return bad if bad and good and good * 3 >= len(bad) else None


def lines_in_words(lines: list[int]) -> str:
    """Which lines were read otherwise, for the notes of a table."""
    named = ", ".join(map(str, lines[:LINES_NAMED]))
    more = f" and {len(lines) - LINES_NAMED} more" if len(lines) > LINES_NAMED else ""
    return f"two encodings: not UTF-8, and read as cp1252, are the lines {named}{more}"
