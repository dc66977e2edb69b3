"""Study: the photo as it is worked from."""
