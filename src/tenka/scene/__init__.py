"""Props in space: meshes, primitives, cameras."""
