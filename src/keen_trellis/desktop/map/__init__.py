"""The upper half: lanes, ties and deliveries as ribbons."""
