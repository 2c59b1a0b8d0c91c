"""Any needle by camera: a meter's face taught once by a few clicks, its needle (or its LEDs) found in every frame, and read as a meter of the bench."""
