"""Five-minute means: today as rows, finished days packed, one row a thing and day."""
