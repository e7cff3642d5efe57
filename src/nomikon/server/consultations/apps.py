from django.apps import AppConfig


class ConsultationsConfig(AppConfig):
    name = "nomikon.server.consultations"
    label = "consultations"
