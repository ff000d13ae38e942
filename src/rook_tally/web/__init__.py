"""What our web servers share."""
