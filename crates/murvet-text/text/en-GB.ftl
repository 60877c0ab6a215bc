# Terms of the United Kingdom.
-earth = earth
-rcd = RCD
-supply = hook-up
-local-code = Local regulations
