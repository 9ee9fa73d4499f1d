"""The trace of a take as a value, and the CSV files that it goes to and comes from."""
