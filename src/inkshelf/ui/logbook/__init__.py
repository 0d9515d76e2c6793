"""The chapter Logbook: every job, how long things take here, what both sides changed."""
