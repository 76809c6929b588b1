"""A picture raised by its depth: where it tears, what is behind the tears, and the mesh of it."""
