"""Pictures into measures: what a photo of a printed piece tells. Knows pieces and pixels; no web, no files."""
