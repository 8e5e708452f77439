"""The signal flow of a template as a graph: graph form, reach, loops and the cut, paths."""
