"""What the process that reads tells: a table's columns, its rows in pieces, versions, how it ended."""

OPENED, ROWS, VERSIONS, ENDED, REFUSED = "opened", "rows", "versions", "ended", "refused"
