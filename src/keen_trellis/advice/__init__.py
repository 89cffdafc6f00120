"""What an expert would notice: findings, pairs, proposals, why; no part of what it looks at."""
