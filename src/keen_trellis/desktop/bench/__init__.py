"""The lower half: looks into whatever is selected on the map."""
