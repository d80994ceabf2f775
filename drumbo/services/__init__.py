"""The use cases: load, ask the core, save. The only place where a transaction begins."""
