"""Rhombos: a workbench for designing DC-to-AC inverters."""
