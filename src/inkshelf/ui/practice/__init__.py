"""The chapter Practice: drills on made-up machines, worked in the real window, judged by the readers that every job has."""
