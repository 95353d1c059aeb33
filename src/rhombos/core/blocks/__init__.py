"""The blocks of the power path. Each proposes a build, assesses it at a point, and reports; none imports another."""
