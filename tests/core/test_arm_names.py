"""Names of arms: what tells them apart and no more, in any set of them."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.core.trials.arm_names import NamedArm, arm_names, shortened

ARMS = st.lists(
    st.builds(
        NamedArm,
        st.sampled_from(["v1", "v2", "v2 without §3"]),
        st.sampled_from(["amber", "slate"]),
        st.fixed_dictionaries(
            {}, optional={"temperature": st.sampled_from([0, 0.3]), "max_tokens": st.just(90)}
        ),
    ),
    min_size=1,
    max_size=8,
)


class ArmNamesTest(unittest.TestCase):
    def test_only_what_differs_is_named(self):
        def names(*arms):
            return arm_names([NamedArm(*a) for a in arms])

        self.assertEqual(names(("v6", "flint", {})), ["v6 on flint"])
        self.assertEqual(names(("v6", "flint", {}), ("v4", "flint", {})), ["v6", "v4"])
        self.assertEqual(
            names(("v6", "flint", {}), ("v6", "slate", {})), ["v6 on flint", "v6 on slate"]
        )
        self.assertEqual(
            names(
                ("v6", "flint", {"temperature": 0, "max_tokens": 50}),
                ("v6", "flint", {"temperature": 0.3, "max_tokens": 50}),
                ("v6", "flint", {"max_tokens": 50}),
            ),
            ["v6 at T 0", "v6 at T 0.3", "v6 with the model's own settings"],
        )
        # Settings that go with the versions tell nothing that these do not.
        self.assertEqual(
            names(("v6", "flint", {"temperature": 0}), ("v4", "flint", {"temperature": 1})),
            ["v6", "v4"],
        )

    @settings(max_examples=150, deadline=None, derandomize=True)
    @given(ARMS)
    def test_no_two_arms_of_a_set_are_named_alike(self, arms):
        names = arm_names(arms)
        self.assertEqual(len(set(names)), len(arms))

    @settings(max_examples=150, deadline=None, derandomize=True)
    @given(
        st.lists(st.text("ab-/", min_size=1, max_size=90), unique=True, max_size=6),
        st.integers(4, 40),
    )
    def test_shortened_names_stay_apart(self, names, longest):
        short = shortened(names, longest)
        self.assertEqual(len(set(short)), len(names))
        self.assertTrue(all(len(s) <= len(n) for s, n in zip(short, names, strict=True)))


if __name__ == "__main__":
    unittest.main()
