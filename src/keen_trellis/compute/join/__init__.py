"""Which rows are partners: keys as codes, ranges and nearest matches, one partner of several."""
