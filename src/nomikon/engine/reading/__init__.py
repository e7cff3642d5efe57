"""Files in bounds: tables and prompt files are read in a process that can be ended."""

from nomikon.engine.reading.reader import TableReader, VersionsReader

__all__ = ["TableReader", "VersionsReader"]
