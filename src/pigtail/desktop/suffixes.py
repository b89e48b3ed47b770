"""What may be dropped on the window, by the end of its name. Imports nothing: the window's frame reads it before it is painted."""

JOBS, DEVICES, TABLES = (".pigtail", ".pigtail.zip"), (".pigtail-device",), (".csv", ".tsv", ".txt")
PICTURES, SOUNDS = (".png", ".jpg", ".jpeg", ".webp", ".pdf"), (".wav", ".flac")
TAKEN = (*JOBS, *DEVICES, *TABLES, *PICTURES, *SOUNDS)
