"""estimation"""
