"""The readings at the right."""
