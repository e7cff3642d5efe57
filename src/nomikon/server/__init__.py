"""The Django project: one app per noun that people use."""
