"""The service: FastAPI over the store and the probe, events, sign-in, and the built console.

All models of the API are completed before anything here is loaded: many threads share them.
"""

from importlib import import_module
from pkgutil import iter_modules

from .. import api
from ..api.common import complete

for _found in iter_modules(api.__path__):
    import_module(f"{api.__name__}.{_found.name}")
complete()
