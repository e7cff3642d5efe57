"""The open formats we read and write."""

from nomikon.core.files.trial_file import TrialFile, TrialModel, parse_trial_file
from nomikon.core.yaml_lines import YamlDocument, read_yaml

__all__ = ["TrialFile", "TrialModel", "YamlDocument", "parse_trial_file", "read_yaml"]
