"""What is shown, computed apart from any widget: immutable pictures of a session, and every sentence that people read."""
