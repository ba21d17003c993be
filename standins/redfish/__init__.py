"""An array's Redfish service with the Swordfish storage model."""
