"""Differences of two templates: as a patch to keep, as sentences to read, and taken over one by one."""
