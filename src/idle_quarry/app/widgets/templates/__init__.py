"""What shows a template: its path, its settings, its findings, its revisions, what differs."""
