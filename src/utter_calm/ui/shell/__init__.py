"""The window: its actions, its pages, the bars at its edges."""
