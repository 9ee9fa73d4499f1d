"""What is told of a reel and of its frames: figures and sentences, never a picture."""
