"""Any needle by camera: a meter's face taught once by a few clicks, its needle (or LEDs) found in every frame, a meter of the bench."""
