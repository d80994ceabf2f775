"""The job itself: frozen values and pure functions. No files, clocks, web or database.

Units everywhere: mm, s, mm/s, mm³/s, °C, g. Another unit stands in the name.
"""
