"""The guide inside the program, opened where it speaks of what is selected."""
