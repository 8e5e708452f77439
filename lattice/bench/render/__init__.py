"""Render sound through a template, block by block, as a session built from the map would."""
