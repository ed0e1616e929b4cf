"""The one error every codec raises on bytes that are not what they claim to be."""


class WireError(ValueError):
    """Bytes are truncated, contradict themselves, or belong to another protocol; the message says which."""
