"""The Bench shown: the step at hand, its plots and charts, what its readings say, instructions and the coach's sentences."""
