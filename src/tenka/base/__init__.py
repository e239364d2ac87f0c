"""Ground floor: errors, atomic files, counter-based randomness, threads and jobs."""
