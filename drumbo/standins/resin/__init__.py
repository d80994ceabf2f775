"""The resin printer: it lights the layers of a package and keeps what has set."""
