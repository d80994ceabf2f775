"""Where things are kept: one SQLite file, and files by digest beside it."""
