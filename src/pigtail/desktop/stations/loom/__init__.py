"""The Build station: the loom and the parts."""
