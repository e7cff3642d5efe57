"""Files in bounds: tables of cases are read in a process that can be ended."""

from nomikon.engine.reading.reader import TableReader

__all__ = ["TableReader"]
