"""The core of Intact Lattice: the model of a session template and everything computed on it.

It knows nothing of the web application. Layers, from the ground up: model, formats, graph, levels,
checks, edits and sheet, then the command line.
"""

__version__ = "0.3.0"
