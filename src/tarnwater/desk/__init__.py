"""Everything Qt: the shell, the theme, widgets and benches.

A bench is a package in ``benches`` with a `Bench`: it reads the desk's present study and results,
draws, and calls edits. Any calculation belongs in the core. To add one: write the package, and add it
to `tarnwater.desk.benches.COURSE`; the course bar, the finder and the keys know it then.
"""
