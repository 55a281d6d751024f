"""Rain: depth-duration-frequency, patterns, areal reduction, storms."""
