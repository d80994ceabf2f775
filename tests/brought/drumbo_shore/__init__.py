"""A package of somebody else's: a kind of trial with a parameter of its own, a dialect and a file format."""
