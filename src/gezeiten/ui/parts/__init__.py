"""What several places are made of: charts, lists, tables, small widgets."""
