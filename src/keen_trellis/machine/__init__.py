"""What this machine keeps about documents, under locks: what is allowed, runs, unsaved work."""
