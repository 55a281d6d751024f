"""From rain to flow: losses, timing, transforms, baseflow; one module a method."""
