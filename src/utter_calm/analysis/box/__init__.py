"""A driver in a box that need not be built: small-signal prediction (Thiele 1971; Small 1972 and 1973)."""
