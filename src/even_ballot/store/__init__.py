"""What must last: studies, source files and their columns, in MariaDB."""
