"""The Level station."""
