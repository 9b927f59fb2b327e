"""Sites: the places where channels hold values, and who is near whom."""
