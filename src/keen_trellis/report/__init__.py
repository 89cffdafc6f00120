"""Reports: outcomes summarised for readers, drawn, and told with where every number is from."""
