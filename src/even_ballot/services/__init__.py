"""What people do with studies: core, formats and store joined."""
