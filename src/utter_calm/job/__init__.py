"""Jobs: units, conditions, plan, takes, claims, verdicts, run order, and the file that holds them."""
