"""`python -m lattice` is the console script `lattice`."""

import sys

from lattice.cli import main

sys.exit(main())
