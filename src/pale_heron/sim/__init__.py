"""Simulated devices behind pseudo-terminals, and the made-up world that they live in."""
