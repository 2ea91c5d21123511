"""From the facts of many files to what links them. Pure: reads no disk."""
