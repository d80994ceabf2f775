"""G-code: words, dialects, writing, reading back into columns, and checking against a profile."""
