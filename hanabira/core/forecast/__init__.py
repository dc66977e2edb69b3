"""The portrait as it should look after any layer."""
