"""Pictures as data: plots of cases and storms, the map and the flow tree."""
