"""Rain on catchments: shares of gauges, and of the cells of a grid."""
