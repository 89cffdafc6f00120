"""A tour through the demo: some stops, each of which asks for something to be done."""
