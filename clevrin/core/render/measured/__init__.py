"""What is measured of takes: where it is kept, what is needed, and what it is put together from."""
