"""The sheet ready for use: steps, adjusters, limits, the mixing model, and what an adjuster reaches."""
