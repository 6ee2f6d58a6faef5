"""What has been done on the bench, and how its units move over months."""
