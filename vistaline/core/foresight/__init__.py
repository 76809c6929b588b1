"""What a shot will show before anything is rendered: checks with frames and figures."""
