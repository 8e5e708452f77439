"""The document: its types, channel layouts and validation."""
