"""Pictures as values, and how they are drawn: one drawing for the screen, the report and the export."""
