"""Words: stems, stop words, sentences, and a small store of general associations."""

from __future__ import annotations

import hashlib
import re

STOP = frozenset(
    """
    a an the and or of to in on at by for with from as is are was were be been it its this that
    these those i we you he she they my our your his her their me us them do does did have has
    had will would can could should may might must not no so if but than then there here what
    which who when where how about into out up down over any some all each one two just very
    also only other others please use using such etc eg ie am im ive dont anything something
    everything nothing someone anyone everyone else want wants whatever get got
    """.split()
)

# Everyday associations, one group a line (an indented line carries on). General
# English, not tied to any prompt.
_GROUPS = """
late delay delayed waiting wait overdue behind schedule slow cancelled cancel stuck stranded
  postponed hour hours still
lost left forgot forgotten behind missing found misplaced dropped bag backpack rucksack wallet
  umbrella phone keys item belongings
change swap move reschedule rebook switch different transfer booking reservation book booked
  ticket tickets amend upgrade
complaint rude angry unacceptable disgusting awful terrible worst disappointed appalling dirty
  ashamed shame charged overcharged ignored
access accessible accessibility wheelchair ramp lift disabled disability walking frame mobility
  hearing guide step blind deaf pram carer
refund money back reimburse reimbursement repay return returned
bill billing invoice charge charged payment pay paid card price fee subscription
broken break damage damaged fault faulty defect cracked crash crashes error bug fails failing
  failed freeze frozen
login password account sign locked access reset username
delivery parcel package shipping ship shipped courier deliver delivered arrive arrived tracking
praise thank thanks great lovely wonderful excellent brilliant happy love perfect helpful
  positive good
negative bad poor hate horrible unhappy sad annoying disappointing useless worse
question ask asking wonder know information info tell opening hours whether enquiry inquiry
urgent emergency immediately asap now today stranded danger hurt injured quickly soon high
  tonight
safety danger dangerous fire smoke injury hurt hazard slipped fell accident
medical medicine medicines tablet tablets pill pills prescription doctor pain fever symptom patient dose medicine nurse hospital
legal lawyer contract court law sue liability clause
technical server network software install update connection wifi outage
hardware screen battery keyboard laptop printer cable
job vacancy apply application hire salary candidate interview
sport match team goal league player season win
politics election minister vote government parliament policy
business market shares profit sales company revenue bank
science research study experiment planet species data
food meal menu soup coffee kitchen restaurant taste hungry vegetarian
weather storm wind rain fog snow gale swell
garden plant soil leaf leaves tree flower seed prune pest
plumbing plumber water leak leaks leaking pipe tap flood flooding drain
electric electricity electrician power light lights bulb socket outage
heat heating boiler radiator cold warm temperature
noise loud noisy music neighbour neighbours
book library borrow loan renew reading author title overdue
school pupil teacher class lesson homework exam
travel trip journey hotel flight train bus boat ferry sailing crossing
""".strip()

_SUFFIXES = (
    "ations",
    "ation",
    "ments",
    "ment",
    "ings",
    "ing",
    "ions",
    "ion",
    "edly",
    "ness",
    "ies",
    "ied",
    "ed",
    "es",
    "ly",
    "s",
    "e",
)


def stem(word: str) -> str:
    """A rough stem: the word without a common ending."""
    w = word.lower().removesuffix("'s").removesuffix("’s")
    for suffix in _SUFFIXES:
        if w.endswith(suffix) and len(w) - len(suffix) >= 3:
            w = w[: -len(suffix)]
            if suffix in ("ies", "ied"):
                return w + "y"
            break
    if len(w) > 3 and w[-1] == w[-2] and w[-1] not in "aeiou":
        w = w[:-1]
    return w


def words(text: str) -> list[str]:
    """Lower-case words."""
    return re.findall(r"[^\W_]+(?:['’][^\W_]+)?", text.lower())


def stems(text: str) -> list[str]:
    """Stems of the words that carry meaning."""
    return [stem(w) for w in words(text) if w not in STOP and len(w) > 1]


GROUPS: list[frozenset[str]] = [
    frozenset(stem(w) for w in line.split()) for line in re.split(r"\n(?! )", _GROUPS)
]


def chance(*parts: object) -> float:
    """A number from 0 to 1 that depends on the parts alone: the stand-in's dice."""
    digest = hashlib.sha256("\x1f".join(map(str, parts)).encode("utf-8", "replace")).digest()
    return int.from_bytes(digest[:8], "big") / 2**64


def associated(word_stem: str, persona: str, knowledge: float) -> set[str]:
    """Stems the model links with one; a weaker model knows fewer of the links."""
    linked: set[str] = set()
    for number, group in enumerate(GROUPS):
        if word_stem in group and chance("knows", persona, number, word_stem) < knowledge:
            linked |= group
    return linked


_SENTENCE = re.compile(r"(?<=[.!?…])[\"'”’)]*\s+(?=\S)|\n+")
_SHORT = re.compile(r"\b(?:e\.g|i\.e|etc|cf|vs|approx|no|mr|mrs|ms|dr|st|p|pp|a\.m|p\.m)\.$", re.I)


def sentences(text: str) -> list[str]:
    """Sentences and lines, trimmed; common abbreviations do not end one."""
    done: list[str] = []
    for part in _SENTENCE.split(text):
        if not part or not part.strip():
            continue
        if done and _SHORT.search(done[-1]):
            done[-1] += " " + part.strip()
        else:
            done.append(part.strip())
    return done
