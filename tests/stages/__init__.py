"""Stages that do not ship with Rhombos."""
