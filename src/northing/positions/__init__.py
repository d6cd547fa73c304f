"""What is where, and who must act: movements, positions, matters."""
