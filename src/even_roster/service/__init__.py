"""The service: FastAPI over the store and the probe, events, sign-in, and the built console."""
