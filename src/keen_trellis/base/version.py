"""The version of the program: the one place where it stands."""

VERSION = "0.1.0"
