"""Values to SVG."""
