"""What the process that reads tells: columns first, then rows in pieces, then how it ended."""

OPENED, ROWS, ENDED, REFUSED = "opened", "rows", "ended", "refused"
