"""Drawing: image = f(frame, look, camera). Linear light inside, premultiplied alpha throughout."""
