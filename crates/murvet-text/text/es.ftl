# Lo que lee el propietario.
-earth = tierra
-rcd = diferencial
-supply = toma del camping
-local-code = La normativa local

owner-title = Para el propietario de { $rig }
owner-from = { $firm }: { $person }, { $day }. No es una homologación: deciden la normativa local y un electricista autorizado.
owner-language = Idioma de esta página
owner-language-set = Guardar para este cliente
owner-language-usual = el de la región del vehículo

owner-uses = Qué puede usar
owner-use-drive = En marcha, el motor cargando
owner-use-tow = Remolcado, alimentado por el vehículo tractor
owner-use-shore = Enchufado a la { -supply }
owner-use-inverter = El inversor
owner-use-solar = Los paneles solares
owner-use-wind = El aerogenerador
owner-use-generator = El generador
owner-standing-barred = No usar.
owner-standing-not-proven = Sin probar del todo: { $missing ->
    [one] falta una prueba
   *[other] faltan { $missing } pruebas
}.
owner-standing-limited = Puede usarlo, con esta precaución:
owner-standing-cleared = Puede usarlo, dentro de los límites del informe.
owner-by-finding = Por { $count ->
    [one] el punto
   *[other] los puntos
} { $numbers } de abajo.
owner-by-reading = Una medición salió mal.
owner-stays = deje { $control } en la posición: { $position }
owner-deaf = vigile { $battery }: { $names } no { $count ->
    [one] se para
   *[other] se paran
} cuando ella lo pide. No { $count ->
    [one] lo
   *[other] los
} deje nunca en marcha sin nadie.

owner-findings = Qué está mal y aún sin reparar
owner-findings-none = No se encontró nada.
owner-severity-keep-off = No se acerque. No tocar, no encender.
owner-severity-before-use = Hay que repararlo antes de usarlo.
owner-severity-soon = Hay que repararlo pronto.
owner-severity-advice = Conviene saberlo.
owner-certainty-possible = Posible: algo no se pudo ver.
owner-hazard-overcurrent = El fusible o el magnetotérmico no protege el cable: puede arder.
owner-hazard-bonding = Neutro y { -earth }: una avería puede poner con tensión la carrocería o un aparato.
owner-hazard-backfeed = Dos alimentaciones se juntan: las clavijas o un cable pueden tener tensión.
owner-hazard-charger-loop = La batería se carga a sí misma en círculo y se agota.
owner-hazard-cable = Un cable es demasiado fino: se calienta o los aparatos van flojos.
owner-hazard-isolation = Algo sigue con tensión cuando se apaga.
owner-hazard-battery = La batería o su carga.
owner-hazard-generation = Solar, viento o alternador.
owner-hazard-capacity = Se enciende más de lo que hay.
owner-hazard-workmanship = Cómo está hecho o rotulado.
owner-at = En: { $names }.

owner-left = Cómo quedó
owner-left-on = encendido
owner-left-off = apagado
owner-left-locked-off = bloqueado en apagado: no lo encienda
owner-left-removed = retirado

owner-conditions = Condiciones

owner-tests = Qué puede probar usted
owner-tests-first = No abra nada, no ponga puntas de prueba en nada.
owner-wanted = Debe ser: { $wanted }
owner-stop-when = Pare si:
owner-stop = Hay olor, humo, una tapa en la que no se aguanta la mano, hormigueo, o un fusible o magnetotérmico que salta dos veces: apague en el interruptor más cercano, desenchufe en la { -supply }, déjelo apagado y llame.
owner-between = entre { $low } y { $high } { $unit }
owner-at-most = como mucho { $high } { $unit }
owner-at-least = { $low } { $unit } o más
owner-as-it-should = como debe ser

owner-rest-how = Por la mañana, antes de encender nada: los voltios de { $subject } en su monitor o en una toma.
owner-rest-stop = Por debajo: cargue, y deje el inversor apagado hasta que alguien lo haya mirado.
owner-sag-how = Encienda todos los aparatos de 12 V durante cinco minutos y lea los voltios de { $subject } en su monitor.
owner-sag-stop = En cuanto baje de ahí: apague y cargue.
owner-parasitic-how = Apague todo por la noche y lea la corriente que sale de { $subject } en su monitor.
owner-parasitic-stop = Si es más: déjela cargando, o abra el desconectador de la batería cuando se vaya.
owner-button-how = Enchufado, pulse el botón de prueba de { $subject }; después rearme. Una vez al mes y después de cada viaje.
owner-button-wanted = salta al momento y se puede rearmar
owner-button-stop = No salta o no se puede rearmar: desenchufe y no use ninguna toma hasta que se cambie.
owner-outlet-how = Solo con { $source }: una lámpara enchufada en { $subject }, o el propio aparato.
owner-outlet-wanted = funciona
owner-outlet-stop = Sin corriente: pulse una vez los botones de los diferenciales. No rearme nada dos veces.
owner-dark-how = Solo con { $source }: una lámpara enchufada en { $subject }.
owner-dark-wanted = sigue apagada
owner-dark-stop = Se enciende: deje esa fuente apagada y llame.
owner-loop-how = Desenchufado, el inversor { $source } encendido y nada más: mire los pilotos de { $subject } y la corriente de la batería.
owner-loop-wanted = el cargador está apagado y no entra corriente en la batería
owner-loop-stop = El cargador funciona: apague el inversor. Agota la batería a través de sí mismo.
owner-into-how = Enchufado, el inversor encendido, la batería sin llenar: la corriente de { $source } en su monitor.
owner-into-wanted = entra en la batería
owner-into-stop = Sale: apague el inversor mientras esté enchufado.
owner-charge-how = Mientras { $subject } carga una batería que no está llena: su piloto, y la corriente de la batería en su monitor.
owner-charge-wanted = entra corriente en la batería
owner-charge-stop = Nada en una hora: no cuente con que cargue.
owner-transfer-how = Enchufe o desenchufe con una lámpara en una toma de { $subject }: cuente los segundos hasta que vuelva a encenderse.
owner-transfer-stop = Vibra o se queda sin corriente: desenchufe y use una sola fuente.

owner-fault = Cuando algo no funciona
owner-fault-first = Pulse primero el botón de cada diferencial y busque dispositivos abiertos. Una línea por dispositivo: lo que no funciona sin él.
owner-fault-dead = No funciona
owner-fault-look = Mire
owner-fault-do = Qué hacer
owner-fault-in = en { $place }
owner-fault-seen-through = Fundido, se ve el hilo partido.
owner-fault-hidden = Fundido no se le nota nada: solo lo dice un multímetro.
owner-fault-lever = Abierto, la palanca está en apagado o a medio camino.
owner-fault-residual = Abierto, la palanca o el botón se ha movido.
owner-fault-replace-once = Apague lo que cuelga de él y ponga un fusible igual, una sola vez. Si vuelve a fundirse, déjelo sin fusible y llame.
owner-fault-reset-once = Apague lo que cuelga de él y rearme, una sola vez. Si vuelve a saltar, déjelo así y llame.
owner-fault-leave-alone = No lo toque y llame: antes hay que reparar algo en este circuito.
owner-fault-spare = Lleve de repuesto: { $spare }.
owner-fault-then = Después { $names }.

owner-cautions = Precaución
owner-caution-advice = Esta página aconseja; no certifica nada. Deciden la normativa local y los profesionales autorizados.
owner-caution-open = No quite nunca una tapa. Hay partes con tensión aunque el interruptor esté apagado.
owner-caution-tested = Lo que no se probó no es seguro porque no se diga nada de ello.
owner-switches = Interruptores por orden
owner-switches-first = Para apagar, de arriba abajo. Para encender, de abajo arriba. Haga uno, mire lo que se ve y siga con el siguiente.
owner-switches-wind = El aerogenerador se suelta al final.
owner-switches-barred = No encienda nada que arriba figure como «no usar».
owner-switches-source = Fuente
owner-switches-off = Apagar
owner-switches-seen = Se ve
owner-switches-engine = El motor
owner-press-unplug = Desenchufe primero en la { -supply } y después en el vehículo.
owner-press-uncouple = Desenchúfelo del vehículo tractor.
owner-press-stop = Párelo con su interruptor y bloquee el arranque automático.
owner-press-switch-off = Apáguelo con su interruptor, mando o pantalla.
owner-press-open = { $switches }: apagado.
owner-press-brake = Frénelo y compruebe que se para.
owner-press-no-switch = No tiene interruptor. No lo toque.
owner-press-no-switch-sun = No tiene interruptor: con luz, deje la batería conectada.
owner-press-no-switch-bank = No tiene interruptor: solo lo desconecta un electricista.
owner-shows-shore = Apagado: cargadores apagados. Encendido: un cargador funciona; hay corriente en los enchufes.
owner-shows-generator = Apagado: en silencio. Encendido: funciona y al minuto hay corriente en los enchufes.
owner-shows-vehicle = Apagado: no carga. Encendido: el monitor muestra su carga.
owner-shows-inverter = Apagado: piloto apagado. Encendido: piloto encendido y corriente en sus enchufes.
owner-shows-sun = Apagado: el regulador no da corriente. Encendido: da corriente con luz.
owner-shows-wind = Frenado: parado o casi. Libre: gira y su regulador se enciende.
owner-shows-bank = Apagado: sin luces ni bomba. Encendido: hay luces; ni chispas, ni olor, ni cables calientes.

fleet-letter-title = Sobre la instalación eléctrica de { $rig }
fleet-letter-from = { $firm }, { $day }
fleet-letter-first = Hemos revisado de nuevo el informe de su vehículo con lo que hoy se sabe. Esto consta ahora y no constaba cuando se lo entregamos:
fleet-letter-do = Hasta que esté reparado, no use lo que aquí se nombra. Llámenos, por favor, para acordar una visita.
owner-partly = No se pudo juzgar todo. No use nada que aquí no conste como probado sin preguntarnos antes.
