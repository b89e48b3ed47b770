"""The Taps station."""
