"""The pilot kit: short known signals for every source, each in a slot of its own, that a session prints once."""
