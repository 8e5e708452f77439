"""Prints of a kit, read: level, delay and polarity of every source in them, and the faults."""
