"""The Trace view: the ladder, the next test, the stage pin by pin, the parts, an intermittent watched, a noise hunted."""
