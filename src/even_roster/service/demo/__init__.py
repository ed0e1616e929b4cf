"""The stand-in site: its plan and what is entered of it before anybody looks."""
