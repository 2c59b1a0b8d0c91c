"""Simulated instruments, a class each. None of them is told the answer.

Each takes what a socket, a test point, the meter or the loudspeaker of a simulated
radio gives (``wiring``) and measures it with ``unitone.signals``, as it would a recording.
"""
