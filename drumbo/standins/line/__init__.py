"""The line protocol as printers' firmware speaks it, with its habits and its faults; whatever device is behind it."""
