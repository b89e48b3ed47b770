"""The studies as a process of their own: the window asks, it answers, and neither waits for the other."""
