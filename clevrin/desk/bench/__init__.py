"""What all benches have in common: the base of each, what it is handed, sheets in windows of their own."""
