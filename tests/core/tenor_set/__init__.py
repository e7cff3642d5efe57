"""The half of the prompts with planted flaws that was set aside: no test reads it.

Each is (language, text, planted) with planted a list of (kind of flaw, words of its clause); sound
prompts have none. It was written before the code; the half that is worked with is tests/prompts.
"""
