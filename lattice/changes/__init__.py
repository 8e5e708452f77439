"""Differences of two templates: as a patch, as sentences, and applied one by one."""
