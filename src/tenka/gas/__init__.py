"""Gas on a staggered grid: sources, forces, advection, pressure, and the step that joins them."""
