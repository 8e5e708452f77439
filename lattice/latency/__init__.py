"""Timing: when sound arrives where, what is compensated, what sets the latency."""
