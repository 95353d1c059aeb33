"""Wound parts: wire in a window, chokes, transformers."""
