"""The command line: its words, and what each of its commands does."""
