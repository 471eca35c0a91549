"""Hand-over: deliveries made from a job's timelines, and any file verified against what a delivery asks for."""
