"""The last look: what stands between an episode and its audience, each thing with its figure and its place."""
