"""Wishes for prompts, with what the prompt must and must not say once they are taken.

Each: the prompt, the wish, pieces that must stand in it afterwards, pieces that must not; None in
place of the pieces where a rule cannot know what is meant and has to say so.
"""
