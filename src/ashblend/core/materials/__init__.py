"""Materials: sets of tiling maps, and how they are packed for the shader."""
