"""Values read by hand, held against a record: compared, doubted, the record tied to them, and
whether they were read as often as they should be."""
