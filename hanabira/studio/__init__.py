"""What is kept: database, photos, kits."""
