"""Gains and levels along the signal flow."""
