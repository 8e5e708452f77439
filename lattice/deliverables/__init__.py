"""Stems: the sources of each, their levels, and whether the stems sum to the mix."""
