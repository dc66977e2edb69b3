"""From a wanted colour to layers of pencils."""
