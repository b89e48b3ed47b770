"""The Power station."""
