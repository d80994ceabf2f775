"""The outside devices, as programs of their own. The application talks to them as it talks to real ones.

Nothing else in Drumbo imports this folder, and a stand-in never sees a trial: it prints what the file says.
"""
