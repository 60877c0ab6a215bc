# Terms of North America.
-earth = ground
-rcd = GFCI
-supply = pedestal
-local-code = Local code
