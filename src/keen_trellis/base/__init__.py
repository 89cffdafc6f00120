"""What every room stands on: errors in sentences, words, progress and stopping, files on a disk."""
