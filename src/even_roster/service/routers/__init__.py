"""The API's paths, one module per thing they are about."""
