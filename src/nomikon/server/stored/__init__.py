"""The database file as it is found at start: recognised, brought up to date, or refused in words."""
