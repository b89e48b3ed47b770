"""Returns: how currents go back, and what of them is heard."""
