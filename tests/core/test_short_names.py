"""Models named as briefly as they can be told apart, whoever named them."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from nomikon.core.trials.short_names import short_names

part = st.sampled_from(["tern", "gull", "mini", "2", "b", "large"])
name = st.lists(part, min_size=1, max_size=4).flatmap(
    lambda parts: st.lists(st.sampled_from("-/_: "), min_size=len(parts), max_size=len(parts)).map(
        lambda joints: "".join(p + j for p, j in zip(parts, joints, strict=True))[:-1]
    )
)


class ShortNamesTest(unittest.TestCase):
    def test_what_others_share_goes_and_a_server_before_a_slash(self):
        told = short_names(["isle-tern", "isle-gull", "haven/skua-7b", "puffin"])
        self.assertEqual(
            told,
            {
                "isle-tern": "tern",
                "isle-gull": "gull",
                "haven/skua-7b": "skua-7b",
                "puffin": "puffin",
            },
        )

    def test_a_number_or_what_two_could_have_stays_whole(self):
        self.assertEqual(
            short_names(["isle-2", "isle-3"]), {"isle-2": "isle-2", "isle-3": "isle-3"}
        )
        told = short_names(["haven/tern", "quay/tern"])
        self.assertEqual(told, {"haven/tern": "haven/tern", "quay/tern": "quay/tern"})
        self.assertEqual(short_names(["isle-tern", "isle-gull", "tern"])["isle-tern"], "isle-tern")

    def test_a_size_or_a_date_is_no_name_and_other_scripts_are(self):
        for names, wanted in (
            (["haven/heron-70b", "haven/heron-8b"], ["heron-70b", "heron-8b"]),
            (["dunlin-2026-01", "dunlin-2026-07"], ["dunlin-2026-01", "dunlin-2026-07"]),
            (["plover-3.5-fast", "plover-3.5-deep"], ["fast", "deep"]),
            (["möwe-groß", "möwe-klein"], ["groß", "klein"]),
            (["a/b/c-lark"], ["c-lark"]),
        ):
            with self.subTest(names):
                self.assertEqual(list(short_names(names).values()), wanted)

    @given(st.lists(name, max_size=8))
    def test_no_two_are_confused_and_each_is_the_end_of_its_name(self, names):
        told = short_names(names)
        self.assertEqual(len(set(told.values())), len(set(names)))
        for whole, short in told.items():
            self.assertTrue(short and whole.endswith(short))


if __name__ == "__main__":
    unittest.main()
