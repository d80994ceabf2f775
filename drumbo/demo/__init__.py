"""The demo workshop: a seabird field station on a small island, with its printers and spools."""
