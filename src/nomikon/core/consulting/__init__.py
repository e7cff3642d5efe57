"""Helping models: what each role is told and asked, and how its reply is read. No call is made."""

from nomikon.core.consulting.roles import ROLES, Reading, Role, Subject, read_reply

__all__ = ["ROLES", "Reading", "Role", "Subject", "read_reply"]
