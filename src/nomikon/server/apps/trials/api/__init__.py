"""Views, one file a topic."""
