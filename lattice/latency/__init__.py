"""Timing: arrivals, compensation, and the paths that set the latency."""
