"""The jobs that were started, and what each of their pages shows."""
