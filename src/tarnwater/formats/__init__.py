"""External formats, one module each. They raise the project's own errors, with the line or the cell.

To add one: write a module with ``read_…`` that returns the data and a list of repairs and assumptions.
"""
