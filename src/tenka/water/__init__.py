"""Water: a surface over a bed, and what moves in it."""
