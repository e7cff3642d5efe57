"""A text under work: what can be said of it, its working copies, tries of it."""
