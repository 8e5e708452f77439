"""Sound rendered through a template, block by block: what a session built as the map says would do."""
