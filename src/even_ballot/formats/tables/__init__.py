"""Tables, methods and the design as people read them."""
