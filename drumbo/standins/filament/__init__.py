"""The stand-in filament printer: a line protocol on a TCP port, a bed with a camera beside it."""
