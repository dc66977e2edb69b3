"""Areas: what is drawn and measured of the animal."""
