"""The picture in the middle, and what can be read off it."""
