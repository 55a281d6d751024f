"""What the records of a study give: mended records, maxima and their frequency, and the rain of catchments."""
