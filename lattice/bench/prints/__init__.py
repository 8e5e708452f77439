"""Prints of a kit, read: what of every source is in them, how loud, how late, which way round; and what is wrong."""
