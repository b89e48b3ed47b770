"""The document: immutable structs, edits, file and recovery."""
