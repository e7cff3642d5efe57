from django.apps import AppConfig


class ReviewsConfig(AppConfig):
    name = "nomikon.server.apps.reviews"
    label = "reviews"
