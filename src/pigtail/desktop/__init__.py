"""The window: the only package that imports Qt. Views paint from (job, studies) and change a job only by edits."""
