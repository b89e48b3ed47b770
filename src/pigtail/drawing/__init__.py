"""Drawings in millimetres: lines, circles and words that screen, paper, SVG and DXF all print alike."""
