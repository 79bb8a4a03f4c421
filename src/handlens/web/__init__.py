"""Flask: one blueprint a resource, schemas, nothing computed here."""
