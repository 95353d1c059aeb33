"""Waveforms: edges of the modulated bridge, exact spectra, the periodic steady state, and what meters show of them."""
