"""Long work with progress and cancel. What it makes is handed over whole at the end, or not at all."""
