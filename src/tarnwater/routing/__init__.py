"""What carries and delays the water: reaches."""
