"""The chain along the top, and the editors under its links."""
