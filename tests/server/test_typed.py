"""One declaration of what the API takes and answers: what is made of it, and what is held to it."""

from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from typing import Annotated, Any, NotRequired, TypedDict

import numpy as np
from django.test import SimpleTestCase

from nomikon.server.rendering import PlainRenderer
from nomikon.server.typed import (
    AnswerError,
    Field,
    Filled,
    OneOf,
    TwoShapesError,
    check,
    copied,
    serializer_of,
)


class Mast(TypedDict):
    height: float
    wood: Annotated[str, OneOf("pine", "ash")]


class Boat(TypedDict):
    name: Filled
    masts: list[Mast]
    built: datetime | None
    crew: NotRequired[dict[str, int]]
    berth: Annotated[int, Field(required=False, default=7, min_value=1)]


@dataclass
class Hull:
    height: float
    wood: str
    secret: str = "kept"


BOAT = {"name": "Ada", "masts": [{"height": 2, "wood": "ash"}], "built": None, "berth": 1}


def another_mast():
    class Mast(TypedDict):
        height: int

    return Mast


class TypedTest(SimpleTestCase):
    def refused(self, data: dict[str, Any]) -> dict[str, Any]:
        made = serializer_of(Boat)(data=data)
        self.assertFalse(made.is_valid())
        return dict(made.errors)

    def test_a_request_is_checked_field_by_field_and_filled_with_defaults(self):
        made = serializer_of(Boat)(data={**BOAT, "name": " Ada ", "berth": 3})
        self.assertTrue(made.is_valid(), made.errors)
        self.assertEqual((made.validated_data["name"], made.validated_data["berth"]), ("Ada", 3))
        bare = {k: v for k, v in BOAT.items() if k != "berth"}
        made = serializer_of(Boat)(data=bare)
        self.assertTrue(made.is_valid(), made.errors)
        self.assertEqual(made.validated_data["berth"], 7)
        self.assertIn("name", self.refused({**BOAT, "name": " "}))
        self.assertIn("masts", self.refused({**BOAT, "masts": [{"height": 1, "wood": "oak"}]}))
        self.assertIn("berth", self.refused({**BOAT, "berth": 0}))

    def test_an_answer_is_held_to_its_declaration_and_the_place_is_named(self):
        check(BOAT, Boat)
        check([BOAT, {**BOAT, "crew": {"mate": 1}}], list[Boat])
        for change, told in (
            ({"masts": [{"height": "tall", "wood": "ash"}]}, r"masts\[0\]\.height is 'tall'"),
            ({"masts": [{"height": 1, "wood": "oak"}]}, r"masts\[0\]\.wood is 'oak', none of"),
            ({"sail": 1}, "answer has sail, unknown to Boat"),
            ({"crew": {"mate": "one"}}, r"crew\['mate'\] is 'one'"),
            ({"name": None}, "name is None"),
            ({"berth": True}, "berth is True"),
        ):
            with self.subTest(change), self.assertRaisesRegex(AnswerError, told):
                check({**BOAT, **change}, Boat)
        with self.assertRaisesRegex(AnswerError, "lacks name of Boat"):
            check({k: v for k, v in BOAT.items() if k != "name"}, Boat)

    def test_two_shapes_of_one_name_are_refused(self):
        serializer_of(Mast)
        with self.assertRaisesRegex(TwoShapesError, "two shapes are named Mast"):
            serializer_of(another_mast())

    def test_only_declared_fields_are_copied(self):
        self.assertEqual(copied(Mast, Hull(2.0, "ash")), {"height": 2.0, "wood": "ash"})
        self.assertEqual(
            copied(Mast, {"height": 1.0}, wood="pine"), {"height": 1.0, "wood": "pine"}
        )

    def test_what_goes_out_is_plain_json(self):
        at = datetime(2026, 11, 27, 5, 6, 7, tzinfo=UTC)
        told = {
            "at": at,
            "n": np.int64(3),
            "x": np.float64(0.5),
            "gap": float("nan"),
            4: Decimal("0.1"),
        }
        self.assertEqual(
            PlainRenderer().render(told),
            b'{"at":"2026-11-27T05:06:07Z","n":3,"x":0.5,"gap":null,"4":0.1}',
        )
