"""A sheet drafted from the text of an alignment procedure: read, cut into steps, each understood by its words.

``text_of_file`` reads a file (text, PDF, picture); ``unsmudge`` puts right what scanning garbles; ``segments`` cuts the lines into steps;
``phrases`` finds adjusters, limits, channels and levels; ``drafted`` makes steps of them. Nothing is invented: what the text does not say
is left out, or stands in ``unsure``; lines that gave nothing stand in ``unread``.
"""
