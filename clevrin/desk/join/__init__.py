"""Join: cut where two takes' whips agree."""
