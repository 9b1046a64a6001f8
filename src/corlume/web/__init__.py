"""Pages and their endpoints: a face over the services."""
