"""What would be: an estate with dated changes, read as the estate itself is read."""
