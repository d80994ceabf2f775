"""Out and back: profile file, transfer sheet."""
