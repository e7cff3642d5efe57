"""Nomikon: write, run, compare and choose prompts for language models, with evidence."""
