"""Sheets to print: what a bench or a shop needs on paper, as PDF. Nothing is computed here."""

from rhombos.paper.winding import winding_pdf

__all__ = ["winding_pdf"]
