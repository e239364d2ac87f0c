"""The stand-in for a game engine: it knows packages, the set in them, and the drawing kernels."""
