"""Collector for arrays that speak DMTF Redfish with the SNIA Swordfish storage model."""
