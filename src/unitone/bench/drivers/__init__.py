"""Where samples come from: a recording, a sound card; and a whole recording measured in a stream."""
