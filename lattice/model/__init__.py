"""The document: its types, channel layouts and what makes one usable."""
