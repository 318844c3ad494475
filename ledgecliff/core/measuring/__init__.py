"""From what a machine touched to what was found: readings, measured features, presence."""
