"""One stub variable against one banner entry, counted: coded variables, several answers, numbers."""
