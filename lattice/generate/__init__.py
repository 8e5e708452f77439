"""Large realistic templates from a number of strips and a seed, clean or worn by a long job."""

from lattice.generate.template import generate

__all__ = ["generate"]
