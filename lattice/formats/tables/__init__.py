"""Tables of users: meaning of columns and words, and rows to strips."""
