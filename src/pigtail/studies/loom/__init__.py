"""Build: the loom and the parts."""
