"""What every request passes: sign-in, errors as problem documents, entity tags, what path functions ask for."""
