"""Kinds of step: one module each. Settings, stimulus, analysis, readings, traces and how they are drawn.

To add one, write a module beside ``first_look.py`` and list it in ``kinds.py``; nothing else changes.
"""
