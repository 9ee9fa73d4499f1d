"""Log: bring takes in, look at each, keep the usable span."""
