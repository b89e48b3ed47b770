"""The Control station."""
