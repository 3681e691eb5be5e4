"""Running a job: the bench, the order of cells, what is asked of a hand, and the takes that come of it."""
