"""Loops, thresholds, gates: what holds and what drives a stage."""
