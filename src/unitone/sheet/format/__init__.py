"""The sheet's file: its keys, reading with every problem named, writing, half-good files, bundles with pictures."""
