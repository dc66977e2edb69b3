"""Numbers only: arrays and frozen records in and out. No interface, files, clock or database."""
