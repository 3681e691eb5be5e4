"""Other places of work; each registers itself with when it is wanted."""
