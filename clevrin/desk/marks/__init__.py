"""What is drawn over pictures: vectors, tracks, areas left out; for every bench that shows them."""
