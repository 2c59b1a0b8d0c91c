"""Tracing: where in a chain of stages the signal is lost, from what injections, voltages and looks have shown, and which test says most next."""
