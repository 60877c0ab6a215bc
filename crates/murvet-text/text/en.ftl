# What an owner reads. Terms that differ by region stand in the file of the region.

owner-title = For the owner of { $rig }
owner-from = { $firm }: { $person }, { $day }. Not an approval: { -local-code } and a licensed electrician decide.
owner-language = Language of this page
owner-language-set = Keep for this customer
owner-language-usual = as the region of the rig

owner-uses = What you may use
owner-use-drive = Driving, the engine charging
owner-use-tow = Towed, fed by the vehicle ahead
owner-use-shore = Plugged in at the { -supply }
owner-use-inverter = The inverter
owner-use-solar = The solar panels
owner-use-wind = The wind turbine
owner-use-generator = The generator
owner-standing-barred = Do not use.
owner-standing-not-proven = Not tested to the end: { $missing ->
    [one] one test is missing
   *[other] { $missing } tests are missing
}.
owner-standing-limited = You may use it, with what stands here:
owner-standing-cleared = You may use it, within the limits of the report.
owner-by-finding = Because of { $count ->
    [one] number
   *[other] numbers
} { $numbers } below.
owner-by-reading = A measurement of it failed.
owner-stays = leave { $control } at: { $position }
owner-deaf = watch { $battery }: { $names } { $count ->
    [one] does
   *[other] do
} not stop when it asks. Never leave { $count ->
    [one] it
   *[other] them
} on alone.

owner-findings = What is wrong and not yet mended
owner-findings-none = Nothing was found.
owner-severity-keep-off = Keep off. Do not touch, do not switch on.
owner-severity-before-use = Must be mended before it is used.
owner-severity-soon = To be mended soon.
owner-severity-advice = Good to know.
owner-certainty-possible = Possible: something could not be seen.
owner-hazard-overcurrent = The fuse or breaker does not protect the cable: it can burn.
owner-hazard-bonding = Neutral and { -earth }: a fault can make the skin or an appliance live.
owner-hazard-backfeed = Two supplies meet: plug pins or a cord can be live.
owner-hazard-charger-loop = The battery charges itself in a circle and goes flat.
owner-hazard-cable = A cable is too thin: it gets hot, or appliances run weak.
owner-hazard-isolation = Something stays live when it is switched off.
owner-hazard-battery = The battery or its charging.
owner-hazard-generation = Solar, wind or alternator.
owner-hazard-capacity = More is switched on than there is.
owner-hazard-workmanship = How it was done or marked.
owner-at = At: { $names }.

owner-left = How it was left
owner-left-on = on
owner-left-off = off
owner-left-locked-off = locked off: do not switch it on
owner-left-removed = taken out

owner-conditions = Conditions

owner-tests = What you can test yourself
owner-tests-first = Open nothing, put no lead on anything.
owner-wanted = It should be: { $wanted }
owner-stop-when = Stop when:
owner-stop = Smell, smoke, a cover too hot to leave a hand on, tingling, or a fuse or breaker that opens twice: switch off at the nearest switch, unplug at the { -supply }, leave it off and call.
owner-between = { $low } to { $high } { $unit }
owner-at-most = up to { $high } { $unit }
owner-at-least = { $low } { $unit } or more
owner-as-it-should = as it should be

owner-rest-how = In the morning, before anything is switched on: the volts of { $subject } on its monitor or in a socket.
owner-rest-stop = Below it: charge, and leave the inverter off until somebody has looked.
owner-sag-how = Switch every 12 V appliance on for five minutes and read the volts of { $subject } on its monitor.
owner-sag-stop = As soon as it falls below: switch off and charge.
owner-parasitic-how = Switch everything off in the evening and read the current out of { $subject } on its monitor.
owner-parasitic-stop = More: leave it on charge, or open the battery's isolator when you leave the rig.
owner-button-how = Plugged in, press the test button of { $subject }; then reset it. Once a month and after every journey.
owner-button-wanted = it opens at once and can be reset
owner-button-stop = It does not open, or cannot be reset: unplug and use no outlet until it is replaced.
owner-outlet-how = On { $source } alone: a plug-in lamp in { $subject }, or the appliance itself.
owner-outlet-wanted = it works
owner-outlet-stop = Dead: press the buttons of the { -rcd }s once. Do not reset anything twice.
owner-dark-how = On { $source } alone: a plug-in lamp in { $subject }.
owner-dark-wanted = it stays dark
owner-dark-stop = It lights: leave the source off and call.
owner-loop-how = Unplugged, inverter { $source } on, nothing else: look at the lamps of { $subject } and at the current of the bank.
owner-loop-wanted = the charger is dark and no current goes into the bank
owner-loop-stop = The charger runs: switch the inverter off. It drains the bank through itself.
owner-into-how = Plugged in, inverter on, bank not full: the current of { $source } on its monitor.
owner-into-wanted = it goes into the bank
owner-into-stop = It goes out: switch the inverter off while plugged in.
owner-charge-how = While { $subject } charges a bank that is not full: its lamp, and the current of the bank on its monitor.
owner-charge-wanted = current goes into the bank
owner-charge-stop = None for an hour: do not count on it to charge.
owner-transfer-how = Plug in or out with a lamp on an outlet of { $subject }: count the seconds until it lights again.
owner-transfer-stop = It chatters or stays dark: unplug and use one source only.

owner-fault = When something is dead
owner-fault-first = Press every { -rcd } and look for open devices first. One line for each device: what is dead without it.
owner-fault-dead = Dead
owner-fault-look = Look at
owner-fault-do = What to do
owner-fault-in = in { $place }
owner-fault-seen-through = Its wire is parted when it is blown.
owner-fault-hidden = It shows nothing when it is blown: only a meter tells.
owner-fault-lever = Open, its lever stands at off or half way.
owner-fault-residual = Open, its lever or button has moved.
owner-fault-replace-once = Switch off what hangs on it, put in one like fuse, once. Blows again: leave it out and call.
owner-fault-reset-once = Switch off what hangs on it, switch it on again, once. Opens again: leave it and call.
owner-fault-leave-alone = Leave it alone and call: something on this circuit must be mended first.
owner-fault-spare = Carry: { $spare }.
owner-fault-then = Then { $names }.

owner-cautions = Caution
owner-caution-advice = This page advises; it certifies nothing. { -local-code } and licensed practice decide.
owner-caution-open = Never take a cover off. Parts stay live when the switch is off.
owner-caution-tested = What was not tested is not safe because nothing is said of it.
owner-switches = Switches in order
owner-switches-first = Shutting down, from top to bottom. Starting up, from bottom to top. Do one, look for what is seen, then the next.
owner-switches-wind = A turbine is released last.
owner-switches-barred = Start up nothing that stands above as not to be used.
owner-switches-source = Source
owner-switches-off = Off
owner-switches-seen = Seen
owner-switches-engine = The engine
owner-press-unplug = Pull the plug at the { -supply } first, then at the vehicle.
owner-press-uncouple = Pull its plug from the vehicle ahead.
owner-press-stop = Stop it at its switch, and bar its automatic start.
owner-press-switch-off = Switch it off at its own switch, remote or screen.
owner-press-open = { $switches }: off.
owner-press-brake = Brake it and see it stand still.
owner-press-no-switch = It has no switch. Leave it alone.
owner-press-no-switch-sun = It has no switch: leave the battery on while there is light.
owner-press-no-switch-bank = It has no switch: only an electrician takes it off.
owner-shows-shore = Off: chargers dark. On: a charger runs; outlets live.
owner-shows-generator = Off: silent. On: it runs and after a minute the outlets are live.
owner-shows-vehicle = Off: no charge from it. On: its charge shows at the monitor.
owner-shows-inverter = Off: its lamp is dark. On: its lamp is lit and outlets on it are live.
owner-shows-sun = Off: its controller shows no current. On: current in daylight.
owner-shows-wind = Braked: it stands or creeps. Free: it turns and its controller lights.
owner-shows-bank = Off: lights and pump dead. On: lights work; no spark, no smell, no warm lead.

fleet-letter-title = About the electrical installation of { $rig }
fleet-letter-from = { $firm }, { $day }
fleet-letter-first = We have gone through the report on your vehicle again by what is known today. This is in it now and was not when we handed it over:
fleet-letter-do = Until it is put right, do not use what is named here. Please call us, so that we agree on a visit.
owner-partly = Not everything about it could be judged. Use nothing that is not named as tested here before you have asked us.
