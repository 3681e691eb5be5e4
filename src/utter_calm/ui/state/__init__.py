"""What an open job is doing: edits, selection, bench, runs, newest answers. Knows no widgets."""
