"""What is seen and measured: figures, the grey map, spots, test strips, starting points."""
