"""The simulated model server: a rule-based instruction follower behind real protocols.

It reads the request it is sent and nothing else, and imports nothing of the
rest of the program. docs/standin.md says what it does and what it does not do.
"""
