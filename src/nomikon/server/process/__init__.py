"""The processes: web, worker, the loopback between them, live events."""
