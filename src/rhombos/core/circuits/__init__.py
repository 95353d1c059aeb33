"""Circuits of the house's stages, as data: each a function of what is written on its sheet."""
