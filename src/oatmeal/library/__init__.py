"""Series, photographs, versions and their history; the database and the file store."""
