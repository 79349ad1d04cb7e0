"""What Pampa is fast at, measured: `./pampa bench`."""
