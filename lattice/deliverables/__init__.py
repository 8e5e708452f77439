"""Stems: which source comes to which of them, at what level, and whether they add up."""
