"""What a Linux desktop needs to know of the application: entry, metadata, the type of bundles, icons; and how they come there and go again."""
