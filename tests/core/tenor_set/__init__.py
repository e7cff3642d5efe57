"""Prompts to hold the reading of prompts against: one half worked with, one half only reported on.

Each is (language, text, planted) with planted a list of (kind of flaw, words of its clause); sound
prompts have none. Both halves were written before the code that reads them.
"""
