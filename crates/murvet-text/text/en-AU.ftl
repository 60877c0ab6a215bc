# Terms of Australia and New Zealand.
-earth = earth
-rcd = RCD
-supply = site outlet
-local-code = Local rules
