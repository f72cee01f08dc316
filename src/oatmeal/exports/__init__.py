"""Finished files: rendering a photograph with a recipe and writing the result."""
