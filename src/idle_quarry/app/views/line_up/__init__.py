"""Line-up: what the monitoring output sends, and what the monitor shows."""
