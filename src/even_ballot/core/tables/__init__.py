"""Tables: what is asked for, what is counted, how it is marked and shown."""
