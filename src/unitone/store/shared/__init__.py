"""A logbook that several benches share: a copy at each bench, and a server between them."""
