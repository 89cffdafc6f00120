"""What a trellis means, without rows and without NumPy: links, bays, nodes, and their words."""
