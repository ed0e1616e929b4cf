"""The API's models, shared by the service and the client library. Shapes only: no logic, no I/O, nothing of ours."""
