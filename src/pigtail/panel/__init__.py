"""The panel that gets holes: whether a fitting may sit where it is wanted, where it sits best, and the template to drill by."""
