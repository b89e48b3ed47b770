"""The stations: each paints one study and edits in place."""
