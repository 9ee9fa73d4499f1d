"""Work that goes on beside the hand: jobs on threads, and what measures, reads and prepares by itself."""
