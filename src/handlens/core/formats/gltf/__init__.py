"""glTF 2.0, in text and binary."""
