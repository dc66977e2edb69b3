"""Places of an area: what a practitioner would plan apart, each found on the picture."""
