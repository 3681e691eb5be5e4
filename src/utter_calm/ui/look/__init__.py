"""Fonts, colours, fields and shapes."""
