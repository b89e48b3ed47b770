"""Power: what the modules are supplied with."""
