"""The signal flow of a template as a graph: compiled form, reach, loops and the cut, paths."""
