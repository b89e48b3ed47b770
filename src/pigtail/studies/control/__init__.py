"""Control: what turns it on, what mutes, what lights, judged in every state."""
