"""What does not fit what a host should show, and which common fault of papers or gear would explain it."""
