"""The HTTP API: thin views over actions and queries; the OpenAPI document is the contract."""
