from django.apps import AppConfig


class ConsultationsConfig(AppConfig):
    name = "nomikon.server.apps.consultations"
    label = "consultations"
