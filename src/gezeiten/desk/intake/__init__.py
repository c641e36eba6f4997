"""What comes on other ways: carried, followed, sent as text, copied, or left by a kill."""
