"""How the service is: health, metrics, and signing in."""
