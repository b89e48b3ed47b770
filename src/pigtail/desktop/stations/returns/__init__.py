"""The Returns station."""
