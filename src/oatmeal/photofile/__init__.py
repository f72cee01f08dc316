"""Picture files in and out: decoding, colour profiles, metadata, encoding."""
