"""One folder a noun: its models, writes, reads, views and addresses."""
