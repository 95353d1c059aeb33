"""Quantities as people write them, preferred values, wire by gauge."""
