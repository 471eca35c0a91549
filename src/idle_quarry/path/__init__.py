"""Templates as signal paths: stations, links and policies, evaluated into steps, grades and findings."""
