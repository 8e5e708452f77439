"""Demo templates of our own scenario, the touring planetarium show “Night Ferry”. All names are made up."""
