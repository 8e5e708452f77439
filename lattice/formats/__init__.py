"""Bytes to model and back: the document's JSON form and the track sheet."""
