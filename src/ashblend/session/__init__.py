"""What an open surface does, with no web in it: acts return what changed, and whoever asked tells it on."""
