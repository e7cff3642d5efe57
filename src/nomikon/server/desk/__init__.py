"""What looks over all nouns: the docket of briefs, and a brief at a glance. Only the API reads it."""
