"""The work itself: what somebody did, waited for, found and noted at each step, and what follows from that."""
