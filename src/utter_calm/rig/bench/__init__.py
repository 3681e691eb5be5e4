"""Bench instruments that speak SCPI: profiles that describe them, and how they are set and read."""
