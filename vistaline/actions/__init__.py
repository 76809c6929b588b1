"""What can be done, one verb a function; shared by web and work.

- ``errors``    refusals: not found, changed meanwhile, not allowed
- ``people``    who may sign in
- ``projects``  who sees what
- ``pictures``  bringing pictures in; their previews and pyramids
- ``shots``     starting, editing, undoing
- ``life``      the life of background work: taken, beaten for, ended
- ``tasks``     work on one picture or shot; ``works``, ``picture_work``, ``room_work``: what it is
- ``renders``   asking for a clip, rendering it range by range
- ``queue``     telling workers that there is something to do
"""
