"""How a shot or a film is handed over: what it becomes, which of its frames, and their names."""
