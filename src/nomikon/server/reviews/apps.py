from django.apps import AppConfig


class ReviewsConfig(AppConfig):
    name = "nomikon.server.reviews"
    label = "reviews"
