"""What ships with the program: sheets, physics, the demo workshop, fonts, icons."""
