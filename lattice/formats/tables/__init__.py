"""Tables as people have them: which column is what, what words mean, and rows to strips."""
