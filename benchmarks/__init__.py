"""Speed and closeness, printed as a table: ``make bench``. Nothing here fails a test: machines differ."""
