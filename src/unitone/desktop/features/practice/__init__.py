"""Practice: the exercises, the strip over the Bench, the debrief."""
