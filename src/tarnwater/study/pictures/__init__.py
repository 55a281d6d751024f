"""Pictures: plots of cases and storms, the map and the flow tree as data that any medium draws."""
