"""Live work: the running tone, hum, levels by their effect."""
