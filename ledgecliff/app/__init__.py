"""The window: shows what the core computed and sends edits back as commands."""
