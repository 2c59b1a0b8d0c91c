"""Named choices where practitioners differ, and the sheet as it stands after they have been applied."""
