"""Stimuli: pure functions of their settings, linear amplitudes, no state."""
