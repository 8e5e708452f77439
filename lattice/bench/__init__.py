"""Sound itself: recordings measured, so that computed levels rest on real ones."""
